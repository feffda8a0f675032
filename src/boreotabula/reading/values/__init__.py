"""Cells to typed values: how each type may be written, in which language, and what is ambiguous."""
