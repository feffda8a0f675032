"""Records into an existing workbook, in the order of the work: markup of rows, the place of the
table, pairing of rows and records, references to the table, the whole workbook."""
