"""What people share in a session: memberships, invitations, its history with named versions, comments."""
