"""Deliveries: a picture written for a purpose."""
