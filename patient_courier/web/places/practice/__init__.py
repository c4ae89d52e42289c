"""The practice classroom."""
