"""Commands that look at files: what is there, and a first layout."""
