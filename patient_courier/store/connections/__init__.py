"""What goes to other programs."""
