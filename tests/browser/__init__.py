"""The interface as an engineer uses it, in Chromium."""
