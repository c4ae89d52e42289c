"""What reports events: connections, their messages, what of them waits."""
