"""Matiz: a raw developer that measures."""

__version__ = "0.1.0"
