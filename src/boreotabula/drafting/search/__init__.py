"""The search for the layout that explains a kind best."""
