"""What keeps a school running for years: its mail server, its domain, its copies."""
