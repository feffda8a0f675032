"""Pages for a browser: that of a run, and that of a tab."""
