"""What a message from outside becomes, by a connection file (docs/connections.md)."""
