"""`matiz simulate`: take one frame with the simulated camera."""

import argparse
from pathlib import Path

from ..errors import ArgumentError
from .arguments import size_of
from .simcam import require_simcam
from .terminal import print

HELP = "Take one frame with the simulated camera."


def add_arguments(command: argparse.ArgumentParser) -> None:
    """Say what the command takes."""
    command.add_argument("scene", nargs="?", metavar="SCENE", help="a scene or a target by its name")
    command.add_argument("-o", "--output", metavar="OUT.dng")
    command.add_argument("--truth", metavar="DIR", help="write what is known of the frame: truth.json, maps.npz")
    command.add_argument("--tether", metavar="DIR", help="write the next frames of the demo shoot into DIR")
    command.add_argument("--every", type=float, default=5.0, metavar="S", help="seconds between tethered frames")
    command.add_argument("--size", default="3000x2000", metavar="WxH")
    command.add_argument("--view", type=int, default=0, help="which picture of the scene")
    command.add_argument("--iso", type=float, default=100.0)
    command.add_argument("--ev", type=float, default=0.0, help="0 puts diffuse white at the white level")
    command.add_argument("--seed", type=int, default=1)
    command.add_argument("--tilt", type=float, default=0.0, help="degrees, clockwise")
    command.add_argument("--mosaic", choices=("2x2", "6x6"), default="2x2")
    command.add_argument("--light", help='for targets: "daylight:6500", "planck:2700", "A", "LED-B3", ...')
    command.add_argument("--balance", help="the light the camera balances for, named likewise")
    command.add_argument("--ideal", action="store_true", help="no noise, a perfect lens")


def run(chosen: argparse.Namespace) -> int:
    """Run the command; returns the exit code."""
    require_simcam()
    from dataclasses import replace

    from matiz_simcam.camera import IDEAL, Settings, expose, light_spectrum, light_xy_of
    from matiz_simcam.shoot import scene_of, tether
    from matiz_simcam.truth import truth_of, write_truth

    from ..develop.graph.as_file import frame_writer
    from ..system.outputs import write_output

    if chosen.tether:
        for name in tether(Path(chosen.tether), chosen.every, size=size_of(chosen.size)):
            print(name, flush=True)
        return 0
    if not (chosen.scene and chosen.output):
        raise ArgumentError("simulate: name a scene and -o OUT.dng, or --tether DIR")
    out = Path(chosen.output)
    if out.suffix.lower() != ".dng":
        raise ArgumentError(f"{out.name}: simulated frames are written as .dng")
    settings = Settings(iso=chosen.iso, ev=chosen.ev, seed=chosen.seed, mosaic=chosen.mosaic, tilt_degrees=chosen.tilt)
    if chosen.ideal:
        settings = replace(settings, **IDEAL)
    balance = chosen.balance or chosen.light
    if balance:
        settings = replace(settings, balance_xy=light_xy_of(light_spectrum(balance)))
    scene = scene_of(chosen.scene, size_of(chosen.size), view=chosen.view, light=chosen.light)
    write_output(out, frame_writer(expose(scene, settings)), "simulated frame")
    if chosen.truth:
        write_truth(truth_of(scene, settings), Path(chosen.truth))
    return 0
