"""Questions about extracted records: where each is from, and how they compare."""
