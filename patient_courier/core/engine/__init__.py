"""What a school has decided, what is known of a student, and an event or a moment go in; effects come out."""
