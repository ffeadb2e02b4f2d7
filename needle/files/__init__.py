"""Files: audio in and out, and the session bundle."""
