"""Mix sessions: who belongs to them, what they hold, and the log of every change."""
