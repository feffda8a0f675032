"""Two sets of records compared: read as texts, split into parts by key, paired part by part."""
