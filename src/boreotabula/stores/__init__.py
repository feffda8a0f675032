"""Records become files. Knows nothing of reading: Arrow batches and a schema come in."""
