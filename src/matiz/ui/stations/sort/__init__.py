"""The station Sort: its deck, its pages, its own instruments."""
