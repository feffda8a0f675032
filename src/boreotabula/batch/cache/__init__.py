"""Results kept from run to run: readings as bytes, and their store."""
