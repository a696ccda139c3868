"""Readings of Mend: tilt, dust, threads, blemishes, fringes, what the border cuts."""
