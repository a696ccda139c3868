"""The window: the only code that knows Qt."""
