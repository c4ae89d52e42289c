"""The school as a whole: its people and keys, brought in, taken out, forgotten."""
