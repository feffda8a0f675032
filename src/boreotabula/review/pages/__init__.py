"""Pages for a browser: the page of a run, and the page of a tab."""
