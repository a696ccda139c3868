"""Instruments: measuring displays that are also controls.

Each is a pure function from readings to geometry, a painter, a hit test, and a drag that yields
values. Nothing else.
"""
