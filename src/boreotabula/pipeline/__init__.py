"""A whole run from source folders to an output and its record."""
