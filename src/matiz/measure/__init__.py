"""Readings: what an instrument says of a picture. Pure functions, one room per station; `picture.py` has them all."""
