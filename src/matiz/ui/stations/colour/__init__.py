"""The station Colour: its deck, its pages, its own instruments."""
