"""The station Places: its deck, its pages, its own instruments."""
