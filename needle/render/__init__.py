"""From a mix to samples, and what a mix says of itself on the way. It knows no document."""
