"""What each row of a table is: a record, a total, a group, or none of these."""
