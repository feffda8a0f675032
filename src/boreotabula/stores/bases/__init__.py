"""Databases that take the records of a run, in one transaction."""
