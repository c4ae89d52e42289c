"""Questions about how the school runs: its mail server, its copies, what it has come back from."""
