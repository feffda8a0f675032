"""Labels with values, titles, and the names of files and tabs."""
