"""Readings of Finish."""
