"""Teaches the small network that makes masks exact along their edges: `python -m tools.edges`.

It is shown things that are made here, so that their true share of each px is known: fur, hair, feathers, twigs, leaves,
and plain outlines, in front of parts of photographs.
"""
