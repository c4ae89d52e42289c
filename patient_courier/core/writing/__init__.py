"""What helps while letters and sequences are written."""
