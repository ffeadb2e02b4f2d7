"""The mix model: sources, returns and layers as plain values, and who hears what."""
