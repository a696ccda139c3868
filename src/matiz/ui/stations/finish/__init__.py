"""The station Finish: its deck, its pages, its own instruments."""
