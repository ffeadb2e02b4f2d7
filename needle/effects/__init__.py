"""Effects: small stand-ins for outside devices, deterministic, each declaring how far round a moment it reads."""
