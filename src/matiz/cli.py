"""The command line. Everything but the window works without a display."""

import argparse
import builtins
import difflib
import json
import math
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from . import __version__
from .errors import ArgumentError, FileError, MatizError, RecipeError
from .wording import printable


def print(*values: object, **how: Any) -> None:
    """As Python's own, but what a file is called never steers the terminal."""
    builtins.print(*(printable(str(value)) for value in values), **how)


STATIONS = ("mend", "light", "tone", "colour", "places", "detail", "finish")
DEMO_FOLDER = "demo-shoot"


def main(argv: list[str] | None = None) -> int:
    """Run a command; returns the exit code: 0, 1 on failure, 2 on bad usage."""
    arguments = list(sys.argv[1:] if argv is None else argv)
    parser = _parser()
    try:
        _check_first(arguments)
    except ArgumentError as error:
        return _failed(error, 2, debug=False)
    if arguments[:1] and arguments[0] in _COMMANDS:
        chosen = parser.parse_args(arguments)
    else:
        chosen = _window_parser().parse_args(arguments)
    try:
        return int(chosen.run(chosen) or 0)
    except (ArgumentError, RecipeError) as error:
        return _failed(error, 2, chosen.debug)
    except KeyboardInterrupt:
        print("matiz: stopped", file=sys.stderr)
        return 1
    except BrokenPipeError:
        return 1  # whoever read the output has enough
    except (MatizError, OSError, MemoryError) as error:
        return _failed(error, 1, chosen.debug)


def _check_first(arguments: list[str]) -> None:
    """A mistyped command is no folder: no window is opened on what is not there."""
    first = arguments[0] if arguments else ""
    if not first or first.startswith("-") or first in _COMMANDS or os.path.lexists(first):
        return
    near = difflib.get_close_matches(first.lower(), _COMMANDS, n=1)
    hint = f"did you mean {near[0]!r}?" if near else f"commands are {', '.join(_COMMANDS)}"
    raise ArgumentError(f"{first!r} is neither a command nor a file or folder; {hint}")


def _failed(error: BaseException, code: int, debug: bool) -> int:
    if debug:
        raise error
    print(f"matiz: {error}", file=sys.stderr)
    return code


def _window(chosen: argparse.Namespace) -> int:
    from .ui.app import run

    return run([Path(p) for p in chosen.paths])


def _demo(chosen: argparse.Namespace) -> int:
    from .simcam.shoot import DEMO_SIZE, make_demo, missing_shots

    folder = Path(chosen.data or Path.cwd() / DEMO_FOLDER)
    size = (6000, 4000) if chosen.size == "24MP" else DEMO_SIZE
    if chosen.data_only or not _display():
        if missing_shots(folder):
            print(f"making the demo shoot in {folder}")
        for done, count, name in make_demo(folder, size=size):
            print(f"  {done} of {count}  {name}", flush=True)
        if not chosen.data_only:
            raise FileError("there is no display to open a window on; the demo shoot is made: see --data-only")
        return 0
    from .ui.app import run

    return run([folder], demo_size=size)


def _display() -> bool:
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM"))


def _develop(chosen: argparse.Namespace) -> int:
    from .deliver.orders import order_for
    from .deliver.write import deliver
    from .develop.engine import Engine
    from .raw.decode import read_frame

    out = Path(chosen.output)
    linear_wanted = out.suffix.lower() == ".npy"
    if linear_wanted != chosen.linear:
        raise ArgumentError("-o OUT.npy and --linear go together: linear data is written as .npy")
    order = None if linear_wanted else order_for(out, long_side=chosen.long_side)
    engine = Engine(read_frame(chosen.file))
    recipe = _recipe(chosen, engine.frame.start)
    region = _region(chosen.region, engine.size(recipe)) if chosen.region else None
    if order is None:
        _write_linear(engine, recipe, region, chosen.long_side, out)
    else:
        deliver(engine, recipe, order, out, region=region)
    return 0


def _deliver(chosen: argparse.Namespace) -> int:
    from .deliver.batch import chosen_pictures, run_here, tasks_for
    from .deliver.cluster import check_address, run_on_cluster

    keys = _keys(chosen)
    if chosen.cluster:
        check_address(chosen.cluster, trusts_network=chosen.trust_network)
    order = _order(chosen)
    pictures = chosen_pictures([Path(path) for path in chosen.paths], only_kept=chosen.kept)
    if not pictures:
        raise FileError("nothing to deliver: no pictures there" + (" that are sorted as keep" if chosen.kept else ""))
    out = Path(chosen.output).absolute()
    tasks = tasks_for(pictures, order, out, replaces=chosen.replace)
    jobs = chosen.jobs or min(len(tasks), os.cpu_count() or 1)
    if chosen.cluster:
        made = run_on_cluster(tasks, chosen.cluster, keys=keys, trusts_network=chosen.trust_network)
    else:
        made = run_here(tasks, jobs)
    failed = 0
    for n, done in enumerate(made, 1):
        failed += done.path is None
        what = f"failed: {done.text}" if done.path is None else f"{done.path.name}{'  was there' * done.was_there}"
        print(f"  {n} of {len(tasks)}  {done.task.picture.name}  {what}", flush=True)
    if failed:
        raise FileError(f"{failed} of {len(tasks)} failed; the same command again delivers what is missing")
    return 0


def _keys(chosen: argparse.Namespace) -> Any:
    from .deliver.cluster import Keys

    given = [chosen.tls_ca, chosen.tls_cert, chosen.tls_key]
    if not any(given):
        return None
    if not all(given):
        raise ArgumentError("--tls-ca, --tls-cert and --tls-key go together")
    return Keys(*(Path(path).absolute() for path in given))


def _cluster(chosen: argparse.Namespace) -> int:
    import time

    from .deliver.cluster import local_cluster

    keys = _keys(chosen)
    with local_cluster(chosen.workers, host=chosen.host, port=chosen.port, keys=keys) as address:
        print(f"{address}\nCtrl+C stops it. Elsewhere: matiz deliver ... --cluster {address}", flush=True)
        while True:
            time.sleep(1.0)


def _check(chosen: argparse.Namespace) -> int:
    from .deliver.batch import chosen_pictures
    from .deliver.checks import checks
    from .develop.engine import LITTLE_CACHE, Engine
    from .findings.find import judged
    from .measure.picture import Meter
    from .raw.decode import read_frame
    from .shoot.sidecar import load_document

    order, failed = _order(chosen), 0
    pictures = chosen_pictures([Path(path) for path in chosen.paths], only_kept=chosen.kept)
    for path in pictures:
        try:
            frame = read_frame(path)
            document = load_document(path).begun(frame.start)
        except MatizError as error:
            failed += 1
            print(f"matiz: {error}", file=sys.stderr)
            continue
        engine = Engine(frame, cache_bytes=LITTLE_CACHE)
        reading = Meter(engine).picture(document.recipe)
        found = [*checks(reading, document.recipe, order, engine.size(document.recipe)),
                 *judged(reading, document.recipe)]  # fmt: skip
        found = [each for each in found if not {each.id, each.key} & set(document.silenced)]
        if chosen.json:
            print(json.dumps({"picture": str(path), "found": [each.to_json() for each in found]}), flush=True)
            continue
        print(path.name, "" if found else "  nothing to say", flush=True)
        for each in found:
            fix = f"  ({each.fix_label})" if each.has_fix else ""
            print(f"  {each.station.capitalize()}: {each.claim}{fix}", flush=True)
    if failed:
        raise FileError(f"{failed} of {len(pictures)} could not be checked")
    return 0


def _order(chosen: argparse.Namespace) -> Any:
    from .deliver.orders import orders_file, read_orders

    orders = read_orders(Path(chosen.orders) if chosen.orders else orders_file())
    if chosen.order not in orders:
        raise ArgumentError(f"--order: one of {', '.join(map(repr, orders))}; got {chosen.order!r}")
    return orders[chosen.order]


def _write_linear(engine: Any, recipe: Any, region: Any, long_side: int | None, out: Path) -> None:
    import numpy as np

    from .deliver.orders import Order
    from .deliver.write import resized
    from .develop.engine import full_picture
    from .system.outputs import write_output

    if region is None:
        working = full_picture(engine, recipe, result="scene")
    else:
        working = engine.render(recipe, 0, region, result="scene")
    height, width = working.shape[:2]
    working = resized(working, Order(long_side=long_side).size_of((width, height)))
    working = working * np.float32(2.0 ** recipe.in_force().tone.exposure_EV)

    def write(path: Path) -> None:
        with path.open("wb") as file:
            np.save(file, working)

    write_output(out, write, "linear picture")


def _measure(chosen: argparse.Namespace) -> int:
    from .develop.engine import Engine
    from .measure.picture import Meter
    from .measure.report import area_report, pair_reports, report
    from .raw.decode import read_frame

    engine = Engine(read_frame(chosen.file))
    recipe = _recipe(chosen, engine.frame.start)
    if chosen.station == "places":
        engine.found.subject_map()  # seconds that nobody else should wait for
    out = report(engine.frame, engine.size(recipe), Meter(engine).picture(recipe))
    if chosen.station:
        out = {key: value for key, value in out.items() if key not in STATIONS or key == chosen.station}
    if chosen.area:
        areas = [_region(text, engine.size(recipe)) for text in chosen.area]
        out["areas"] = [area_report(engine, recipe, area) for area in areas]
        out["pairs"] = pair_reports(engine, recipe, areas, out["areas"])
    print(json.dumps(out, indent=None if chosen.json else 2))
    return 0


def _burst(chosen: argparse.Namespace) -> int:
    from .develop.engine import LITTLE_CACHE, Engine
    from .measure.burst import area_round, detail_at, find_spot, ranked, words
    from .measure.same import thing_at
    from .raw.decode import read_frame
    from .shoot.sidecar import load_document

    details: dict[Path, Any] = {}
    thing, side = None, 0
    for name in chosen.files:
        path, frame = Path(name), read_frame(name)
        recipe = load_document(path).begun(frame.start).recipe
        engine = Engine(frame, cache_bytes=LITTLE_CACHE)
        if thing is None:
            x, y = _place(chosen.at, engine.size(recipe))
            area = area_round(x, y, engine.size(recipe))
            thing, side = thing_at(engine, recipe, area), area[2]
            details[path] = area, detail_at(frame, recipe, area)
            continue
        found = find_spot(engine, recipe, thing, side)
        details[path] = None if found is None else (found, detail_at(frame, recipe, found))
    order = ranked(details)
    if chosen.json:
        for each in order:
            told = {"picture": str(each.path), "area": each.area, "detail": round(each.detail, 4), "kind": each.kind,
                    "blur_px": round(each.blur_px, 3), "along_deg": each.along_deg}  # fmt: skip
            print(json.dumps(told))
    else:
        print(words(order))
    return 0


def _merge(chosen: argparse.Namespace) -> int:
    from .merge.files import merge_files
    from .raw.decode import read_frame

    seen: list[str] = []

    def told(_share: float, text: str) -> bool:
        if sys.stderr.isatty() and seen[-1:] != [text]:
            print(text, file=sys.stderr)
            seen.append(text)
        return True

    paths = [Path(name) for name in chosen.files]
    out = Path(chosen.output) if chosen.output else None
    made = merge_files(paths, read_frame, kind=chosen.as_ or "", hold=chosen.hold, out=out, told=told)
    print(made.words)
    return 0


def _place(text: str, size: tuple[int, int]) -> tuple[float, float]:
    parts = text.split(",")
    try:
        x, y = (float(part) for part in parts)
    except ValueError:
        raise ArgumentError(f"--at: expected x,y in px, got {text!r}") from None
    if not (0 <= x < size[0] and 0 <= y < size[1]):
        raise ArgumentError(f"--at: {text} lies outside of the picture, {size[0]}x{size[1]} px")
    return x, y


def _find(chosen: argparse.Namespace) -> int:
    from .develop.engine import Engine
    from .findings.find import find
    from .measure.picture import Meter
    from .raw.decode import read_frame

    engine = Engine(read_frame(chosen.file))
    recipe = _recipe(chosen, engine.frame.start)
    findings = find(engine, Meter(engine).picture(recipe), recipe)
    if chosen.json:
        print(json.dumps([f.to_json() for f in findings]))
        return 0
    for finding in findings:
        print(f"{finding.station}: {finding.claim}")
        if finding.fix_label:
            print(f"    {finding.fix_label}")
    if not findings:
        print("nothing found")
    return 0


def _give_light(chosen: argparse.Namespace) -> int:
    from .proposals.given_light import given_light
    from .raw.decode import read_frame
    from .shoot.desk import start_of
    from .shoot.sidecar import load_document, sidecar_path, update_document

    source = Path(chosen.file)
    recipe = load_document(source).recipe
    colour = read_frame(source).colour
    for path in (Path(name) for name in chosen.others):
        own = read_frame(path).colour if chosen.relative else None
        if own is None and not path.is_file():
            raise FileError(f"{path}: there is no such file")
        given = given_light(colour, recipe, own)

        def change(document: Any, given: Any = given) -> Any:
            return document.change_all(given, label=f"Light of {source.name}")[0]

        light = update_document(path, start_of(path), change).recipe.light
        print(f"{sidecar_path(path)}  {light.cct_K:.0f} K  Duv {light.duv:+.4f}")
    return 0


def _clean(chosen: argparse.Namespace) -> int:
    from .shoot.clean import clean

    told = 0
    for path, healed, seen in clean(Path(chosen.folder), lambda text: print(text, file=sys.stderr), dry=chosen.dry):
        if healed:
            told += healed
            frames = ", ".join(f"{count} frames" for count in seen)
            how = "would be healed" if chosen.dry else "healed"
            print(f"{path.name}  {healed} {how}  (seen in {frames})", flush=True)
    print(f"{told} {'shadow' if told == 1 else 'shadows'} of dust {'found' if chosen.dry else 'healed'}")
    return 0


def _shoot(chosen: argparse.Namespace) -> int:
    from .shoot.looked_through import looked_through
    from .wording import counted, kelvin

    lights, found = looked_through(Path(chosen.folder), lambda text: print(text, file=sys.stderr))
    if chosen.json:
        of_lights: list[dict[str, Any]] = []
        for light in lights:
            own_K = round(1e6 / light.mired) if math.isfinite(light.mired) else None
            of_lights.append({"pictures": [path.name for path in light.pictures], "light_K": own_K})
        of_shoot = [each.to_json() | {"pictures": [path.name for path in each.pictures]} for each in found]
        print(json.dumps({"lights": of_lights, "found": of_shoot}))
        return 0
    for light in lights:
        of = f", {kelvin(1e6 / light.mired)}" if math.isfinite(light.mired) else ""
        print(f"{counted(len(light.pictures), 'picture')} in one light{of}: {light.pictures[0].name} and on")
    for each in found:
        print(each.claim)
        if each.fix_label:
            print(f"    {each.fix_label}")
    return 0


def _log(chosen: argparse.Namespace) -> int:
    from .shoot.record import as_csv, as_markdown, entries, told

    folder = Path(chosen.folder)
    if not folder.is_dir():
        raise FileError(f"{folder}: there is no such folder")
    found = entries(folder)
    text = as_csv(found) if chosen.csv else as_markdown(found) if chosen.markdown else "\n".join(told(found)) + "\n"
    if chosen.output:
        from .system.outputs import write_text_output

        write_text_output(Path(chosen.output), text, "log")
    else:
        print(text, end="")
    return 0


def _sheet(chosen: argparse.Namespace) -> int:
    from .deliver.batch import chosen_pictures
    from .ui.sheet_pdf import cell_of, write_sheet

    pictures = chosen_pictures([Path(path) for path in chosen.paths], only_kept=chosen.kept)
    if not pictures:
        raise FileError("no pictures there" + (" that are sorted as keep" if chosen.kept else ""))
    out = Path(chosen.output)
    if out.suffix.lower() != ".pdf":
        raise ArgumentError(f"{out.name}: a contact sheet is written as .pdf")

    def said(done: int) -> bool:
        print(f"  {done} of {len(pictures)}", flush=True)
        return True

    failed = write_sheet(out, map(cell_of, pictures), pictures[0].parent.name, said)
    for text in failed:
        print(f"matiz: {text}", file=sys.stderr)
    if failed:
        raise FileError(f"{len(failed)} of {len(pictures)} have no picture on the sheet")
    return 0


def _mask(chosen: argparse.Namespace) -> int:
    from .deliver.mask import write_mask
    from .develop.engine import Engine
    from .develop.places import Masked, mask_of
    from .raw.decode import read_frame
    from .recipe.parsing import parsed_part
    from .recipe.places import Place
    from .recipe.tree import Rows

    if bool(chosen.part) == bool(chosen.place):
        raise ArgumentError("mask: give --part KIND[,key=value,...] once or more, or --recipe R.json with --place NAME")
    wanted = Masked(Rows((f"p{n}", parsed_part(text)) for n, text in enumerate(chosen.part)))
    engine = Engine(read_frame(chosen.file))
    recipe = _recipe(chosen, engine.frame.start)
    if chosen.place:
        places = {ident: item.name for ident, item in recipe.places.items() if isinstance(item, Place)}
        found = [ident for ident, name in places.items() if chosen.place in (ident, name)]
        if not found:
            named = ", ".join(map(repr, places.values())) or "none"
            raise ArgumentError(f"mask: the recipe has no place {chosen.place!r}; it has {named}")
        wanted = mask_of(recipe, found[0])
    write_mask(engine, recipe, wanted, Path(chosen.output))
    return 0


def _recipe_command(chosen: argparse.Namespace) -> int:
    from .recipe.looks import own_looks
    from .recipe.looks import schema as look_schema
    from .recipe.model import RAW, Recipe
    from .recipe.schema import json_schema

    printed = {
        "schema": json_schema,
        "new": lambda: Recipe().to_json(),
        "looks": lambda: [look.to_json() for look in own_looks()],
        "look-schema": look_schema,
    }
    if chosen.action == "tell":
        from .recipe.words import recipe_text

        if not chosen.recipe_file:
            raise ArgumentError("recipe tell: name the recipe's file, or a sidecar")
        print(recipe_text(_load_recipe(Path(chosen.recipe_file), RAW)), end="")
    elif chosen.action == "check":
        if not chosen.recipe_file:
            raise ArgumentError("recipe check: name the recipe's file")
        _load_recipe(Path(chosen.recipe_file), RAW)
        print("ok")
    else:
        print(json.dumps(printed[chosen.action](), indent=2, ensure_ascii=False))
    return 0


def _simulate(chosen: argparse.Namespace) -> int:
    from dataclasses import replace

    from .develop.as_file import frame_writer
    from .simcam.camera import IDEAL, Settings, expose, light_spectrum, light_xy_of
    from .simcam.shoot import scene_of, tether
    from .simcam.truth import truth_of, write_truth
    from .system.outputs import write_output

    if chosen.tether:
        for name in tether(Path(chosen.tether), chosen.every, size=_size(chosen.size)):
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
    scene = scene_of(chosen.scene, _size(chosen.size), view=chosen.view, light=chosen.light)
    write_output(out, frame_writer(expose(scene, settings)), "simulated frame")
    if chosen.truth:
        write_truth(truth_of(scene, settings), Path(chosen.truth))
    return 0


def _bench(chosen: argparse.Namespace) -> int:
    try:
        from bench.run import run  # type: ignore[import-not-found]
    except ImportError:
        raise ArgumentError("bench: the benchmarks are part of the source tree; run ./dev bench there") from None
    return int(run(chosen.name, as_json=chosen.json))


def _recipe(chosen: argparse.Namespace, start: str) -> Any:
    from .recipe.model import plain_recipe
    from .recipe.parsing import apply_settings

    recipe = _load_recipe(Path(chosen.recipe), start) if chosen.recipe else plain_recipe(start)
    for text in chosen.look or ():
        look, strength = _look(text)
        recipe = recipe.change_all(look.settings(recipe, strength), label=look.name)[0]
    return apply_settings(recipe, chosen.set or [])


def _look(text: str) -> tuple[Any, float]:
    """A look by its name or its file, and the strength after a colon."""
    from .recipe.looks import own_looks, read_look

    name, _, percent = text.rpartition(":")
    if not name or not percent.replace(".", "", 1).isdigit():
        name, percent = text, "100"
    if Path(name).suffix == ".json":
        return read_look(Path(name)), float(percent) / 100.0
    looks = {look.name: look for look in own_looks()}
    if name not in looks:
        raise ArgumentError(f"look: a file that ends in .json, or one of {', '.join(looks)}; got {name!r}")
    return looks[name], float(percent) / 100.0


def _load_recipe(path: Path, start: str) -> Any:
    """A recipe from its own file, or the current one of a sidecar."""
    from .shoot.sidecar import MOST_BYTES, read_recipe
    from .system.own_files import read_small

    text = read_small(path, MOST_BYTES)
    if text is None:
        raise FileError(f"{path}: there is no such file")
    return read_recipe(text, start)


def _region(text: str, size: tuple[int, int]) -> tuple[int, int, int, int]:
    try:
        x, y, w, h = (int(part) for part in text.split(","))
    except ValueError:
        raise ArgumentError(f"{text!r}: expected x,y,w,h in px") from None
    if w < 1 or h < 1 or x < 0 or y < 0 or x + w > size[0] or y + h > size[1]:
        raise ArgumentError(f"{text}: does not lie within the picture, {size[0]}x{size[1]} px")
    return x, y, w, h


def _size(text: str) -> tuple[int, int]:
    try:
        width, height = (int(part) for part in text.lower().split("x"))
    except ValueError:
        raise ArgumentError(f"{text!r}: expected WIDTHxHEIGHT in px") from None
    return width, height


def _window_parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        "matiz",
        description="A raw developer that measures. Opens a window on a folder or on files.",
        epilog=f"Commands: {', '.join(_COMMANDS)}. See matiz COMMAND --help.",
    )
    parser.add_argument("paths", nargs="*", metavar="FOLDER|FILE")
    parser.add_argument("--version", action="version", version=f"matiz {__version__}")
    parser.add_argument("--debug", action="store_true", help=argparse.SUPPRESS)
    parser.set_defaults(run=_window)
    return parser


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser("matiz")
    commands = parser.add_subparsers(required=True)
    for name, (run, add, text) in _COMMANDS.items():
        command = commands.add_parser(name, help=text, description=text)
        command.add_argument("--debug", action="store_true", help="show where an error comes from")
        command.set_defaults(run=run)
        add(command)
    return parser


def _add_demo(command: argparse.ArgumentParser) -> None:
    command.add_argument("--data", metavar="DIR", help=f"where the shoot lies; ./{DEMO_FOLDER} when not given")
    command.add_argument("--data-only", action="store_true", help="make the shoot, open no window")
    command.add_argument("--size", choices=("6MP", "24MP"), default="6MP")


def _add_input(command: argparse.ArgumentParser) -> None:
    command.add_argument("file", metavar="IN")
    command.add_argument("--recipe", metavar="R.json", help="a recipe, or a sidecar")
    command.add_argument(
        "--look", action="append", metavar="NAME[:PERCENT]", help="lay a look on it, by name or file; repeatable"
    )
    command.add_argument("--set", action="append", metavar="path=value", help="change the recipe; repeatable")


def _add_develop(command: argparse.ArgumentParser) -> None:
    _add_input(command)
    command.add_argument(
        "-o",
        "--output",
        required=True,
        metavar="OUT",
        help=".jpg, .tif, .png, .webp, .avif, .jxl, .exr, or .npy with --linear",
    )
    command.add_argument(
        "--linear",
        action="store_true",
        help="linear Rec.2020 after Tone's scene part and before the rendition, float32",
    )
    command.add_argument("--region", metavar="x,y,w,h", help="px of the upright full-size picture")
    command.add_argument("--long-side", type=int, metavar="N", help="px; never enlarges")


def _add_order(command: argparse.ArgumentParser) -> None:
    command.add_argument("paths", nargs="+", metavar="FOLDER|FILE")
    command.add_argument(
        "--order", required=True, metavar="NAME", help="screen, print, 'hand on', archive, or your own"
    )
    command.add_argument("--orders", metavar="FILE", help="a file of orders instead of your own")
    command.add_argument("--kept", action="store_true", help="only pictures that are sorted as keep")


def _add_check(command: argparse.ArgumentParser) -> None:
    _add_order(command)
    command.add_argument("--json", action="store_true", help="a line of JSON for each picture")


def _add_deliver(command: argparse.ArgumentParser) -> None:
    _add_order(command)
    command.add_argument("-o", "--output", required=True, metavar="DIR")
    command.add_argument("--replace", action="store_true", help="write over files that are there already")
    command.add_argument("--jobs", type=int, metavar="N", help="processes; as many as there are cores when not given")
    command.add_argument("--cluster", metavar="tcp://HOST:PORT", help="a dask scheduler; needs matiz[cluster]")
    command.add_argument("--trust-network", action="store_true", help="allow an unencrypted cluster on other machines")
    _add_keys(command)


def _add_keys(command: argparse.ArgumentParser) -> None:
    for name, text in (("ca", "of the authority"), ("cert", "of this side's certificate"), ("key", "of its key")):
        command.add_argument(f"--tls-{name}", metavar="FILE", help=f"PEM file {text}, for tls:// addresses")


def _add_cluster(command: argparse.ArgumentParser) -> None:
    command.add_argument("--workers", type=int, default=0, metavar="N", help="as many as cores when not given")
    command.add_argument("--host", default="127.0.0.1", help="address of an interface; others than this need TLS")
    command.add_argument("--port", type=int, default=0, help="of the scheduler; a free one when not given")
    _add_keys(command)


def _add_measure(command: argparse.ArgumentParser) -> None:
    _add_input(command)
    command.add_argument("--station", choices=STATIONS)
    command.add_argument(
        "--area", action="append", metavar="x,y,w,h", help="px of the upright full-size picture; repeatable"
    )
    command.add_argument("--json", action="store_true", help="one line of JSON")


def _add_burst(command: argparse.ArgumentParser) -> None:
    command.add_argument("files", nargs="+", metavar="FILE", help="frames; the spot is shown in the first")
    command.add_argument("--at", required=True, metavar="x,y", help="what must be sharp, px of the upright full size")
    command.add_argument("--json", action="store_true", help="a line of JSON for each, the sharpest first")


def _add_merge(command: argparse.ArgumentParser) -> None:
    command.add_argument("files", nargs="+", metavar="FILE", help="raw frames of one view")
    command.add_argument(
        "--as", dest="as_", choices=("bracket", "focus", "mean"), help="by what the files say when not given"
    )
    command.add_argument(
        "--hold", choices=("both", "ground", "sky"), default="both", help="of a mean of a night: what is held still"
    )
    command.add_argument("-o", "--output", metavar="OUT.dng", help="beside the first file when not given")


def _add_find(command: argparse.ArgumentParser) -> None:
    _add_input(command)
    command.add_argument("--json", action="store_true", help="one line of JSON")


def _add_give_light(command: argparse.ArgumentParser) -> None:
    command.add_argument("file", metavar="FROM", help="the picture whose light, in its sidecar, is given")
    command.add_argument("others", nargs="+", metavar="TO", help="pictures whose sidecars take it, as one step each")
    command.add_argument(
        "--relative", action="store_true", help="move each one's light as shot as far as that of FROM was moved"
    )


def _add_shoot(command: argparse.ArgumentParser) -> None:
    command.add_argument("folder", metavar="FOLDER")
    command.add_argument("--json", action="store_true")


def _add_clean(command: argparse.ArgumentParser) -> None:
    command.add_argument("folder", metavar="FOLDER")
    command.add_argument("--dry", action="store_true", help="say what would be healed, change nothing")


def _add_log(command: argparse.ArgumentParser) -> None:
    command.add_argument("folder", metavar="FOLDER")
    how = command.add_mutually_exclusive_group()
    how.add_argument("--csv", action="store_true", help="a line for each picture")
    how.add_argument("--markdown", action="store_true", help="the same as a table, with the sentences below")
    command.add_argument("-o", "--output", metavar="FILE", help="printed when not given")


def _add_sheet(command: argparse.ArgumentParser) -> None:
    command.add_argument("paths", nargs="+", metavar="FOLDER|FILE")
    command.add_argument("-o", "--output", required=True, metavar="SHEET.pdf")
    command.add_argument("--kept", action="store_true", help="only pictures that are sorted as keep")


def _add_mask(command: argparse.ArgumentParser) -> None:
    _add_input(command)
    command.add_argument("--part", action="append", default=[], metavar="KIND[,key=value,...]",
                         help="a part of the mask; parts are joined in their order")  # fmt: skip
    command.add_argument("--place", metavar="NAME", help="the mask of a place of the recipe")
    command.add_argument("-o", "--output", required=True, metavar="MASK.png")


def _add_recipe(command: argparse.ArgumentParser) -> None:
    command.add_argument("action", choices=("check", "tell", "schema", "new", "looks", "look-schema"))
    command.add_argument("recipe_file", nargs="?", metavar="R.json")


def _add_simulate(command: argparse.ArgumentParser) -> None:
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


def _add_bench(command: argparse.ArgumentParser) -> None:
    command.add_argument("name", nargs="?", help="one benchmark; all when not given")
    command.add_argument("--json", action="store_true")


_Run = Callable[[argparse.Namespace], int]
_Add = Callable[[argparse.ArgumentParser], None]
_COMMANDS: dict[str, tuple[_Run, _Add, str]] = {
    "demo": (_demo, _add_demo, "Make the demo shoot if it is missing, and open it."),
    "develop": (_develop, _add_develop, "Develop one picture into a file."),
    "check": (_check, _add_check, "Say what to look at before pictures are written by an order."),
    "deliver": (_deliver, _add_deliver, "Write pictures as their sidecars decide, by an order."),
    "cluster": (_cluster, _add_cluster, "Start a dask scheduler and workers on this machine, for deliver --cluster."),
    "measure": (_measure, _add_measure, "Print the readings of a picture as JSON."),
    "find": (_find, _add_find, "Print the findings of a picture."),
    "burst": (_burst, _add_burst, "Rank frames by how sharp they are where they must be."),
    "merge": (_merge, _add_merge, "Make one frame of a bracket, of frames focused differently, or of a series."),
    "give-light": (_give_light, _add_give_light, "Balance pictures for the light of another one."),
    "clean": (_clean, _add_clean, "Heal dust that several pictures of a folder have at the same place."),
    "shoot": (_shoot, _add_shoot, "Tell the lights of a folder, and what is found of it as a whole."),
    "log": (_log, _add_log, "Tell what was done in a shoot, how long it took, and when it is done."),
    "sheet": (_sheet, _add_sheet, "Write a contact sheet as PDF."),
    "mask": (_mask, _add_mask, "Write a mask as a grey picture of 16 bits."),
    "recipe": (_recipe_command, _add_recipe, "Check a recipe, tell it in words, or print the schema or a new one."),
    "simulate": (_simulate, _add_simulate, "Take one frame with the simulated camera."),
    "bench": (_bench, _add_bench, "Run the benchmarks of the source tree."),
}
