"""Readings of Light: the lights of a picture, grey cards, picked greys."""
