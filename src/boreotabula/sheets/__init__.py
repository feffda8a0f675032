"""Files become sheets: cells, merged ranges, visibility. Knows nothing about the meaning of
layouts."""
