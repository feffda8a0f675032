"""The heart: one sheet and a plan become records, roles and findings.

Pure: no file, no terminal. A tab is read in this order:

`view` (look-ups over the sheet) → `stamps` → `place` (where the block is) → `columns` (heading
levels, and what each column is) → `lines` (what each row is) → `lengthen` (cross-tab to records)
→ `account` (every filled cell has one role). `tab` strings them together.
"""
