"""Many files: finding them, reading each, and the record of the run. Knows nothing of terminals."""
