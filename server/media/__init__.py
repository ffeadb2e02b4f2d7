"""Audio: stored assets, uploads, segments to listen to, and what is made in the background."""
