"""Files become sheets: cells, merged ranges, visibility. Knows nothing of layouts' meaning."""
