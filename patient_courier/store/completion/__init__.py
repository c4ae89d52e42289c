"""Certificates, feedback, and the keys that sign."""
