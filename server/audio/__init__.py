"""Sound: stored assets, segments to listen to, exports to take away."""
