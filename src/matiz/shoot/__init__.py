"""A shoot: a folder of pictures, their sidecars, its log."""
