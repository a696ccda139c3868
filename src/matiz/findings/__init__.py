"""Readings become findings: what a careful colleague would mention, with evidence and a fix."""
