"""What destinations hear of what happens here."""
