"""The school looked over as a whole."""
