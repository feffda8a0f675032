"""Words, periods and numbers in the texts of forms."""
