"""Broadcasts."""
