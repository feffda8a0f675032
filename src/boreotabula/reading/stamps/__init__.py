"""The stamps of a tab: found, converted, checked."""
