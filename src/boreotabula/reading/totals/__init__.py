"""Printed totals compared with the records they sum up, and sums that nobody named."""
