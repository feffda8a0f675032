"""Comparing like tabs and files of a run: what stands out among them."""
