"""What is drafted for the owner to look at: nudges, sequences fitted to another course, the median student."""
