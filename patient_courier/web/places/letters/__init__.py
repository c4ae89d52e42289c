"""Letters, their looks and pictures."""
