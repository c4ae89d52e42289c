"""Models of the school file."""
