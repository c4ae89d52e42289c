"""Models of the school file (ENGINE section 1)."""
