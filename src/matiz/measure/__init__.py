"""Readings: what an instrument says of a picture. Pure functions, one module per station."""
