"""The role of every cell, booked from the records, and what is said of those in none."""
