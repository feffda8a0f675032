"""Words of forms, and the types of values."""
