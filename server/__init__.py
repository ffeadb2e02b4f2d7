"""The server: accounts, sessions, the operations log, the live channel, and sound on request."""
