"""Cross-tabs of records: what is asked for, made, ordered, and written to files."""
