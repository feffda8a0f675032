"""Commands that look at records: their origin, their senders, sums, changes."""
