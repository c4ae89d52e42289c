"""What other programs do here with a key of their own: the API under /api/v1, and lists that are fetched."""
