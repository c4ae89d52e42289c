"""The end of a course: certificates, what speaks for one, feedback."""
