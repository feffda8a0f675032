"""Folders on servers: their files are fetched into a folder of the user's own, and read from
there."""
