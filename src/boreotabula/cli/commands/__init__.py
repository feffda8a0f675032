"""A module for each command, in the groups of the work."""
