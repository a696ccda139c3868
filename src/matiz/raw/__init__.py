"""A file becomes a Frame: decoding, levels, demosaic, camera colour, DNG writing."""
