"""Those whom the owner lets in, and what they may do."""
