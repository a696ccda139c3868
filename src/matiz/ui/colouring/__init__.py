"""Pages of the Colour station."""
