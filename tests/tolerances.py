"""Every tolerance of the tests that is shared, with its reason."""

FLOAT32 = 2e-6
"""Relative: one rounding of float32, a few times over."""

ENCODED_16_BIT = 4.0 / 65_535
"""The kernels' power function is a few units of 16 bit off at worst; nobody sees a 10,000th."""

CCT_SHARE = 0.001
"""CCT against colour-science: both follow Ohno 2014, with tables of different density."""

DUV = 1e-5
"""Duv against colour-science; 0.0001 is the last figure that Matiz shows."""

LEVEL_DELTA_E = 1.0
"""Mean ΔE00 between what the screen shows and what the delivery contains: product promise."""
