"""Destinations and keys, a page of School: what goes out to other programs, and what they come with."""
