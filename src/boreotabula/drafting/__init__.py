"""Drafting a layout from examples: candidates are made, read with, and judged by the account."""
