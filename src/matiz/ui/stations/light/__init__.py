"""The station Light: its deck, its pages, its own instruments."""
