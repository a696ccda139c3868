"""Readings of Colour: colours out of gamut, casts, pairs of areas."""
