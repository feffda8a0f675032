"""The heart: one sheet and a plan become records, roles and findings.

Pure: no file, no terminal. A tab is read in the order of the parts: `values` (conversion, which all
of them use), `locate` (where tables stand), `stamps`, `columns` (heading levels, and what each
column is), `rows` (what each row is), `totals`, `records` (values lengthened into typed columns),
`account` (one role for every filled cell). `blocks` and `tab` string them together; `inspect`
answers questions about their results.
"""
