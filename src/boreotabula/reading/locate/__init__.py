"""Where the tables of a sheet stand: found by their headings, or where the layout says."""
