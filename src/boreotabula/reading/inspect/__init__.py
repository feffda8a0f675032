"""Questions about a tab: a record traced, the headings met, the outline without a layout."""
