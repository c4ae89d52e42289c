"""Played ahead or played again: rehearsal, looking back, what a broadcast or a running sequence will bring."""
