"""The interface's pure parts: geometry, the player's arithmetic, the outbox."""
