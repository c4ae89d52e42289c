"""Who is inside of sequences, and what is kept beside them."""
