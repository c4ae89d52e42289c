"""Students, tags and audiences."""
