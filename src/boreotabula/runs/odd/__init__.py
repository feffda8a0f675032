"""What stands out when all tabs of a run are seen together: copies, gaps, odd ones."""
