"""Wandering Needle's computation core: placing, moving, metering and rendering, with no interface in it."""
