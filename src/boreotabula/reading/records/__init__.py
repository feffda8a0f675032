"""Values lengthened into the typed columns of records."""
