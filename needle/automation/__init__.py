"""How parameters move: curves, edits of a range, recording, thinning, paths."""
