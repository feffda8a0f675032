"""What the tabs of a folder hold: tables, and the kinds that they are of."""
