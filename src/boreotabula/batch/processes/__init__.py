"""Work on files in processes that may die of them."""
