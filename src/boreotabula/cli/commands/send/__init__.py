"""Commands that hand something on: marked copies, checks, bound tabs."""
