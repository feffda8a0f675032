"""What a layout needs since the form has changed."""
