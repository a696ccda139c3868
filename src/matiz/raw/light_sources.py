"""The Exif codes of light sources, as DNG uses them for its calibration illuminants."""

LIGHT_SOURCE_K = {
    1: 5500.0, 2: 4230.0, 3: 2856.0, 4: 5500.0, 9: 5500.0, 10: 6500.0, 11: 7500.0,
    12: 6430.0, 13: 5000.0, 14: 4230.0, 15: 3450.0, 17: 2856.0, 18: 4874.0, 19: 6774.0,
    20: 5503.0, 21: 6504.0, 22: 7504.0, 23: 5003.0, 24: 3200.0,
}  # fmt: skip
"""Correlated colour temperature of each."""
