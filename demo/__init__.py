"""Night Ferry: the demo piece, made by our own deterministic synthesis, and its session."""
