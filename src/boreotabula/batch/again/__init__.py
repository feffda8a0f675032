"""What a layout needs after the form has changed."""
