"""Commands that make the table: all files read, headings, corrections."""
