"""The parts of zipped workbooks (ECMA-376): read within a budget, and changed."""
