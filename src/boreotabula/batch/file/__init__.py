"""One file: its tabs chosen, each read, and what is kept of them."""
