"""Plain array tools."""
