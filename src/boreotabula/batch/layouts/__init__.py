"""Layouts from files: loaded with their glossaries, and headings adopted into them."""
