"""Metering: what a mix measures, moment by moment and as a whole."""
