"""Commands that look at files: their contents, and a first layout."""
