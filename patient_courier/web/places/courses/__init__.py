"""Courses, what students think of them, and certificates."""
