"""The course line, where students stand on it, and the day ruler."""
