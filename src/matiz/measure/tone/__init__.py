"""Readings of Tone: luminances, clipped patches, haze, what a stored picture allows."""
