"""Broadcasts and their lists."""
