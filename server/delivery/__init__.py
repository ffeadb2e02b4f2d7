"""Delivery: exports, and what is imported as a session or as moves."""
