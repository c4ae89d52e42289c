"""Letters, their versions and pictures, and what became of them."""
