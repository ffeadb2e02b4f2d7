"""Pulses: rhythmic auto-pan, its waveforms, and what is heard of them on the beat."""
