"""Matiz: a raw developer that measures. For scripts and notebooks see `matiz.api`."""

__version__ = "0.9.0"
