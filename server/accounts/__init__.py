"""Accounts: signing in and out."""
