"""Connections, a page of School: what reports events, what came by it, what of that waits."""
