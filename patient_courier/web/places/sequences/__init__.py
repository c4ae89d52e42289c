"""Sequences, and rehearsing them."""
