"""Who learns: found, picked, taken in, with what they wish."""
