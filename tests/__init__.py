"""Tests: the core's laws, the server through its API, the interface in a real browser."""
