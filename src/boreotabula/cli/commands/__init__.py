"""A module for each command."""
