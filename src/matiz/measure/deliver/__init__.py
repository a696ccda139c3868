"""Readings of Deliver."""
