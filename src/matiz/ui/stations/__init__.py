"""The stations, one module each: a deck, a reading for the route, what is painted over the picture."""
