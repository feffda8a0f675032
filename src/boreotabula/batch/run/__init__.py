"""A run over many files: its outcome, its record, and the run before."""
