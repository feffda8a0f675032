"""The tabs of many files in one workbook: their names, types, looks, and how they are written."""
