"""Every heading in the files of a layout, and what unknown ones may mean."""
