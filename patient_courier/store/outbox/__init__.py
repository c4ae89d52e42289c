"""What waits to be posted, was posted, came back, and waits for the owner."""
