"""What stands round every place: the clock, signing in."""
