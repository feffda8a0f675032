"""Pictures of cross-tabs and of differences: lines over time, bars, heat maps."""
