"""The station Deliver: its deck, its pages, its own instruments."""
