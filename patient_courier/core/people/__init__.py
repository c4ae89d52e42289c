"""Students beside the engine: taken in from files, in the practice classroom, their tags."""
