"""Today, and what waits for the owner."""
