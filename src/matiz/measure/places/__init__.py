"""Readings of Places: what a place holds and changes, edges of masks, faces, attention."""
