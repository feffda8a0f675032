"""Commands that look at records: where they are from, who reported, sums, changes."""
