"""Commands about the program itself."""
