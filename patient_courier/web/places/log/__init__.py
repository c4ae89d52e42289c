"""The dispatch log."""
