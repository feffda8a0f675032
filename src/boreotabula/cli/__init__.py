"""The command line: parses, calls the core, prints. Nothing else imports it."""
