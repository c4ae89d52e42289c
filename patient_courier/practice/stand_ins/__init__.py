"""Simulated programs outside: a shop, a course site, a list. Each speaks a dialect of its own and has bad habits."""
