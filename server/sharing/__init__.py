"""What people share in a session besides the mix: invitations, its history with named versions, and comments."""
