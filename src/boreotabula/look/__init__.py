"""The contents of a tab without a layout: its tables, headings and labels."""
