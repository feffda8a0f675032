"""The contents of a folder's tabs: tables, and the kinds of the tabs."""
