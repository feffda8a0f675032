"""Drafting a layout from examples: candidates are made, the tabs are read with them, and the
account judges them."""
