"""Work on files in separate processes, which may die of it."""
