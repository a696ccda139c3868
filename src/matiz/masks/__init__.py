"""Masks: how much each px of a picture belongs to a place, 0..1, part by part."""
