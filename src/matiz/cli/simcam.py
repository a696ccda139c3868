"""The simulated camera, which a product may do without."""

from importlib.util import find_spec

from ..errors import ArgumentError


def require_simcam() -> None:
    """ArgumentError where the simulated camera is not installed."""
    if find_spec("matiz_simcam") is None or find_spec("embreex") is None:
        raise ArgumentError("the simulated camera is not installed; pip install 'matiz[simcam]' brings it")
