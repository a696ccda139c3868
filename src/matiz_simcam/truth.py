"""What the simulated camera knows of a frame, as the frame sees it: the oracle of the tests."""

import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np

from matiz.system.outputs import write_output, write_text_output

from .camera import Settings, circles_of, geometry_of
from .lens import warped
from .scene import Map, Scene
from .sensor import electrons_full, read_noise_electrons


@dataclass(frozen=True)
class Truth:
    """Maps are (height, width), in place with the frame's pixels (as green sees them)."""

    XYZ: Map
    """(height, width, 3), Y = 1 for diffuse white under irradiance 1; before blur, fall-off and glare."""
    light_shares: dict[str, Map]
    masks: dict[str, Map]
    """By name, fractional coverage 0..1."""
    depth_m: Map | None
    """Along the camera's axis; None for flat targets."""
    blur_px: Map | None
    """Radius of the disc of defocus, negative nearer than the focus."""
    parameters: dict[str, Any]
    """Exposure, noise, tilt, lens, dust and hairs, named areas of the scene."""


def truth_of(scene: Scene, settings: Settings) -> Truth:
    """Everything that is known about `expose(scene, settings)`."""
    geometry = geometry_of(scene, settings)

    def placed(image: Map) -> Map:
        return warped(image.astype(np.float32), geometry, fringes=False)

    parameters = {
        "iso": settings.iso,
        "ev": settings.ev,
        "time_s": settings.time_s,
        "f_number": settings.f_number,
        "electrons_full": electrons_full(settings.iso),
        "read_noise_electrons": read_noise_electrons(settings.iso),
        "focal_mm": settings.focal_mm,
        "focus_m": settings.focus_m,
        "shake_px": settings.shake * scene.size[0],
        "tilt_degrees": settings.tilt_degrees,
        "balance_xy": [float(v) for v in settings.balance_xy],
        "lens": asdict(settings.lens),
        "faults": asdict(settings.faults),
        "areas": {name: list(area) for name, area in scene.areas.items()},
    }
    depth = None if scene.depth_m is None else warped(scene.depth_m, geometry, fringes=False, smooth=False)
    return Truth(
        placed(scene.XYZ()),
        {name: placed(share) for name, share in scene.light_shares().items()},
        {name: np.clip(placed(mask), 0.0, 1.0) for name, mask in scene.masks.items()},
        depth,
        None if depth is None or settings.focus_m is None else circles_of(depth, settings),
        parameters,
    )


def write_truth(truth: Truth, folder: Path) -> None:
    """truth.json and maps.npz in `folder`."""
    folder.mkdir(parents=True, exist_ok=True)
    write_text_output(folder / "truth.json", json.dumps(truth.parameters, indent=1), "truth")
    maps = {"XYZ": truth.XYZ}
    maps |= {f"share {name}": share for name, share in truth.light_shares.items()}
    maps |= {f"mask {name}": mask for name, mask in truth.masks.items()}
    maps |= {name: m for name, m in (("depth", truth.depth_m), ("blur", truth.blur_px)) if m is not None}
    arrays: dict[str, Any] = {name: m.astype(np.float32) for name, m in maps.items()}

    def write(part: Path) -> None:
        with part.open("wb") as file:
            np.savez_compressed(file, **arrays)

    write_output(folder / "maps.npz", write, "truth")
