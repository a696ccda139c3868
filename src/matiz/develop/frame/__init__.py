"""What the camera held, and how it lies in the picture: tiles, sensor, noise, lens, mapping, what is found."""
