"""What happened and why, in words."""
