"""What each column of a table is, by the headings over it."""
