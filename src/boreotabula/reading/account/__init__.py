"""The role of every cell, booked from the records, and the findings about cells that have none."""
