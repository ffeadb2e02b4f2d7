"""What makes a mix lean, and what would even it."""
