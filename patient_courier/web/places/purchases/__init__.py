"""What was bought."""
