"""The station Tone: its deck, its pages, its own instruments."""
