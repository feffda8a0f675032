"""The kinds of findings, by their subject."""
