"""What scene-linear numbers mean."""

MIDDLE_GREY = 0.18
"""Luminance of middle grey: 0 EV, zone V."""
