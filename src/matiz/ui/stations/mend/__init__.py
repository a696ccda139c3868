"""The station Mend: its deck, its pages, its own instruments."""
