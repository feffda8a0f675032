"""Results kept from run to run: readings as bytes, and where these bytes are kept."""
