"""The server through its API and its live channel."""
