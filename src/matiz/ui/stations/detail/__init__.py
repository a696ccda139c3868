"""The station Detail: its deck, its pages, its own instruments."""
