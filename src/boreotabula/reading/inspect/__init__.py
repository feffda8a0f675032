"""A tab looked at: a record traced, headings met, the outline without a layout."""
