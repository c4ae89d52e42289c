"""Waits, posting hours, local days, lengths of time: the only wing that makes local time."""
