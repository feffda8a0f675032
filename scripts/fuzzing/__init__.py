"""Examples that damage what strangers send, and what must hold of each."""
