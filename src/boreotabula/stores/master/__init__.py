"""Records into a workbook that people already have, in the order of the work: markup of rows,
where the table stands, which row is which record, what points at the table, the whole workbook."""
