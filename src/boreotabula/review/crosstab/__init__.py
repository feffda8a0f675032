"""Cross-tabs of records: requested, made, ordered, and written to files."""
