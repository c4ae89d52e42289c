"""School: who it is, how events arrive, what can be thrown away."""
