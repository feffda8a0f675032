"""What stands on a tab, seen without a layout: its tables, headings and labels."""
