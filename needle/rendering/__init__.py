"""Rendering: one engine for listening and for delivery."""
