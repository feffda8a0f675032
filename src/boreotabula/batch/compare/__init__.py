"""Comparing similar tabs and files of a run: what stands out among them."""
