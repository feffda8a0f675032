"""Faults marked in copies of the senders' workbooks, with a list in front and a letter."""
