"""Files, in and out."""
