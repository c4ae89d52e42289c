"""Students as the engine holds them in hand, loaded and saved."""
