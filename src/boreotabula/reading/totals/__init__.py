"""Printed totals compared with the records they sum up, and totals that no rule names."""
