"""A shoot cleaned at once: dust at the same place of the sensor in several pictures is healed in all of them."""

from collections import defaultdict
from collections.abc import Iterable, Iterator
from functools import partial
from pathlib import Path

from ..colour.types import Array, Camera
from ..develop.frame.sensor import Sensor
from ..develop.frame.tiles import level_size
from ..errors import MatizError
from ..findings.mend import is_settled
from ..measure.mend.dust import DustReading, Speck, find_shadows, heal_speck, proven, view_of
from ..raw.decode import read_frame
from ..recipe.document import Document
from ..recipe.model import Recipe
from ..recipe.paths import added
from .desk import Say, start_of
from .folder import gather
from .sidecar import load_document, update_document


def clean(folder: Path, say: Say, *, dry: bool = False) -> Iterator[tuple[Path, int, tuple[int, ...]]]:
    """For each picture: its file, how many shadows were healed in it, and in how many frames each of them was seen.

    A picture that cannot be read, or whose sidecar cannot, is left alone, which is said. dry: nothing is written.
    Raises FileError when the folder is not there.
    """
    paths = gather([folder])
    seen: dict[object, dict[Path, tuple[Speck, ...]]] = defaultdict(dict)
    views: dict[Path, Array] = {}
    for path in paths:
        try:
            sensor = Sensor(read_frame(path))
        except MatizError as error:
            say(f"left alone: {error}")
            continue

        def at(level: int, sensor: Sensor = sensor) -> Camera:
            return sensor.read(level, (0, 0, *level_size(sensor.frame.size, level)))

        sensor_is = (sensor.frame.camera, sensor.frame.size, sensor.frame.orientation)
        seen[sensor_is][path] = find_shadows(at, sensor.frame.size)
        views[path] = view_of(at(1))
    for frames in seen.values():
        for path, specks in proven(frames, views).items():
            yield _heal(path, specks, say, dry=dry)


def _heal(path: Path, specks: tuple[Speck, ...], say: Say, *, dry: bool) -> tuple[Path, int, tuple[int, ...]]:
    if not specks:
        return path, 0, ()
    sensor = Sensor(read_frame(path))
    size = sensor.frame.size
    reading = DustReading(specks, (), max(size))

    def unsettled(recipe: Recipe, among: Iterable[Speck]) -> list[Speck]:
        return [speck for speck in among if not is_settled(speck, recipe, reading)]

    def healed(document: Document) -> Document:
        # what another window has healed since stays as it is
        wanted = unsettled(document.recipe, heals)
        settings = added(document.recipe, [("mend.repairs", heals[speck]) for speck in wanted])
        return document.change_all(settings, label="Dust of the shoot healed")[0]

    try:
        left = unsettled(load_document(path).begun(start_of(path)).recipe, specks)
        if left and not dry:
            # worked out before: nobody else can save here while the document is changed
            heals = {speck: heal_speck(speck, left, partial(sensor.read, 0), size) for speck in left}
            update_document(path, start_of(path), healed)
    except MatizError as error:
        say(f"left alone: {error}")
        return path, 0, ()
    return path, len(left), tuple(speck.frames for speck in left)
