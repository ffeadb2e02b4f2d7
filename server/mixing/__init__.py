"""Mix sessions: who belongs to them, what they hold, and every change made to them."""
