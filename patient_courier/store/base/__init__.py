"""The database itself, its tables, and what the school has decided."""
