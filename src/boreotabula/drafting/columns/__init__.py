"""The columns of a kind: matched over its tables, named and typed."""
