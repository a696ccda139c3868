"""The command line, a module for each command."""

from .main import main

__all__ = ["main"]
