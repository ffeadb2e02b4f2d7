"""Speed and memory, run by hand; the figures are in README.md beside this file."""
