"""Readings of Detail: noise, blur, sharpening."""
