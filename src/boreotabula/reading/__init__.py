"""The heart: one sheet and a plan become records, roles and findings.

Pure: no file, no terminal. A tab is read in the order of the parts: `values` (what all of them
convert with), `locate` (where tables stand), `stamps`, `columns` (heading levels, and what each
column is), `rows` (what each row is), `totals`, `records` (values lengthened into typed columns),
`account` (every filled cell has one role). `blocks` and `tab` string them together; `inspect`
asks what they have found.
"""
