"""What parses in this process, each as a function of bytes: for fuzzers, and for a small sample in the tests.

A target raises nothing but what it is allowed to, whatever it gets.
"""

import atexit
import json
import os
import shutil
import tempfile
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path

from matiz.deliver.orders import OWN, orders_from
from matiz.deliver.queue_file import _owed_from
from matiz.develop.frame.alignment import Alignment
from matiz.errors import MatizError
from matiz.measure.sort.brief import Brief
from matiz.raw.frame import Merged
from matiz.raw.listing import rating_beside
from matiz.recipe.document import Document
from matiz.recipe.looks import look_from, own_looks
from matiz.recipe.model import RAW, Recipe
from matiz.recipe.places import Brush, Ellipse, Place, SameAs, Stroke
from matiz.recipe.shapes import Shape
from matiz.recipe.tree import Rows
from matiz.shoot.own_sets import _groups_from
from matiz.shoot.sidecar import read_document, read_recipe, save_document, sidecar_path
from matiz.shoot.silenced import _ids_from
from matiz.system.own_files import read_json

from .damage import good_texts

FOLDER = Path(tempfile.gettempdir()) / f"matiz-fuzz-{os.getpid()}"
ALLOWED = (MatizError,)


@dataclass(frozen=True)
class Target:
    """One parser."""

    run: Callable[[bytes], None]
    seeds: tuple[bytes, ...]
    """What it reads when nothing is wrong."""


def _sidecar(data: bytes) -> None:
    document = read_document(data.decode("utf-8"))
    picture = FOLDER / "a.dng"
    save_document(picture, document)
    again = read_document(sidecar_path(picture).read_text(encoding="utf-8"))
    assert again == document, "what was saved is not what is read"
    document.with_draft_decided()
    document.version.undo()
    document.version.redo()


def _recipe(data: bytes) -> None:
    recipe = read_recipe(data.decode("utf-8"), RAW)
    assert Recipe.from_json(json.loads(json.dumps(recipe.to_json()))) == recipe
    _ = recipe.digest, recipe.in_force(), recipe.uncropped()


def _merged(data: bytes) -> None:
    try:
        merged = Merged.from_json(json.loads(data))
        for lies in merged.lies:
            Alignment.of_numbers(lies, (60, 40)).shift_px  # noqa: B018
    except (ValueError, RecursionError):
        return


def _through_a_file(make: Callable[[object], object]) -> Callable[[bytes], None]:
    def run(data: bytes) -> None:
        path = FOLDER / "own.json"
        path.write_bytes(data)
        read_json(path, make)

    return run


def _look(data: bytes) -> None:
    look = look_from(json.loads(data), "a look")
    look.settings(Recipe(), 1.7)


def _json(run: Callable[[bytes], None]) -> Callable[[bytes], None]:
    def guarded(data: bytes) -> None:
        try:
            run(data)
        except (ValueError, RecursionError) as error:
            if isinstance(error, MatizError | json.JSONDecodeError | UnicodeDecodeError | RecursionError):
                return
            raise

    return guarded


def _xmp(data: bytes) -> None:
    (FOLDER / "b.xmp").write_bytes(data)
    assert 0 <= rating_beside(FOLDER / "b.dng") <= 5


def _drawn() -> bytes:
    """A recipe with strokes, ellipses and places that name each other."""
    strokes = Rows([(f"s{n}", Stroke(path=Shape.of([[0.1, 0.1], [0.2, 0.1 * n]]))) for n in range(3)])
    first = Place(name="a", mask=Rows([("b", Brush(strokes=strokes)), ("e", Ellipse())]), exposure_EV=0.5)
    bent = ((0.0, 0.0), (0.5, 0.4), (1.0, 1.0))
    second = Place(name="b", mask=Rows([("s", SameAs(of="p1", join="add"))]), curve=bent)
    recipe = Recipe().change_all([("places.p1", first), ("places.p2", second)], label="x")[0]
    return json.dumps(recipe.to_json()).encode()


def targets() -> dict[str, Target]:
    """By name."""
    FOLDER.mkdir(exist_ok=True)
    atexit.register(shutil.rmtree, FOLDER, ignore_errors=True)
    texts = {name: text.encode() for name, text in good_texts().items()}
    stepped = Document().change_all([("places.p", Place())], label="x")[0]
    merged = {"kind": "focus", "names": ["a.dng", "b.dng"], "exposures_EV": [0, 1], "moved": [[0, 0, 4, 4]],
              "moved_share": 0.1, "lies": [[1, 0, 0, 0, 1, 0, 0, 0, 1, *[0] * 20]]}  # fmt: skip
    orders = {"matiz": "orders 1", "orders": {name: asdict(order) for name, order in OWN.items()}}
    owed = {"owed": [{"picture": "a.dng", "order": asdict(OWN["print"]), "folder": "/tmp"}]}
    light = {"cct_K": 5000, "duv": 0.0, "certainty": 0.5}
    brief = {"edges_px": 1.2, "full_share": 0.0, "headroom_EV": 1.0, "snr_dB": 30.0, "look": "", "level_EV": 0.1,
             "light": light, "as_shot": None, "card": None, "streak": None}  # fmt: skip
    looks = tuple(json.dumps(look.to_json()).encode() for look in own_looks())

    def plain(data: object) -> bytes:
        return json.dumps(data).encode()

    return {
        "sidecar": Target(_json(_sidecar), (texts["sidecar"], plain(stepped.to_json()))),
        "recipe": Target(_json(_recipe), (texts["recipe"], _drawn())),
        "merged": Target(_merged, (plain(merged),)),
        "orders": Target(_through_a_file(orders_from), (plain(orders),)),
        "queue": Target(_through_a_file(lambda data: _owed_from(FOLDER, data)), (plain(owed),)),
        "sets": Target(_through_a_file(_groups_from), (plain({"a.dng": 1, "b.dng": 0}),)),
        "silenced": Target(_through_a_file(_ids_from), (plain(["tone.clipped"]),)),
        "brief": Target(_through_a_file(Brief.from_json), (plain(brief),)),  # type: ignore[arg-type]
        "look": Target(_json(_look), looks),
        "xmp": Target(_xmp, (b'<x:xmpmeta xmp:Rating="3"/>', b"<xmp:Rating>5</xmp:Rating>")),
    }
