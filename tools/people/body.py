"""One shaped body: what its places are, and what its skin is like there."""

import numpy as np
from scipy.spatial import cKDTree

from .pose import SIDES
from .source import BODY_VERTICES, Array, Numbers, Shape, Source


class Body:
    """A shaped body, and what is known of its places."""

    def __init__(self, source: Source, shape: Shape) -> None:
        self.source = source
        self.vertices = source.shaped(shape)
        self.quads = source.faces["body"]
        self.names = list(source.bones)
        self.weights = source.weights
        self.joints = source.joints(self.vertices)
        self.arm = self._arm()
        self.follow = self._follow()

    def _arm(self) -> Array:
        """(n,) -1 off the arms; 0 at the shoulder, 0.5 at the elbow, 1 at the wrist, over 1 on the hand."""
        out = np.full(len(self.vertices), -1.0)
        for side in SIDES:
            shoulder, elbow, wrist = (self.joints[f"{b}.{side}"][0] for b in ("upperarm01", "lowerarm01", "wrist"))
            along = []
            for a, b in ((shoulder, elbow), (elbow, wrist)):
                along.append(np.clip((self.vertices - a) @ (b - a) / ((b - a) @ (b - a)), 0.0, 1.0))
            columns = {
                kind: self.weights[:, [n.startswith(kind) and n.endswith(side) for n in self.names]].sum(axis=1)
                for kind in ("upperarm", "lowerarm", "wrist", "metacarpal", "finger")
            }
            hand = columns["wrist"] + columns["metacarpal"] + columns["finger"]
            total = columns["upperarm"] + columns["lowerarm"] + hand
            t = 0.5 * along[0] + 0.5 * along[1] + 0.2 * np.clip(hand - 0.5, 0.0, 1.0)
            out = np.where(total > 0.35, t, out)
        return out

    def _follow(self) -> Array:
        """(n,) how far each vertex turns with the head, 0..1."""
        shares = {"neck01": 0.15, "neck02": 0.4, "neck03": 0.7}
        values = []
        for name in self.names:
            above: str | None = name
            while above and above != "head":
                above = self.source.bones[above]["parent"]
            values.append(shares.get(name, 1.0 if above == "head" else 0.0))
        return np.asarray(self.weights @ np.array(values))

    def neckline(self, at: Array) -> Array:
        """(n,) how far places are above the neckline of a shirt, m."""
        neck = self.joints["neck01"][0]
        return np.asarray(at[:, 1] - (neck[1] + 0.022 - 0.42 * (at[:, 2] - neck[2])))


def lids(body: Body) -> dict[str, list[Array]]:
    """Where lashes stand, of "upper" and "lower" lids, each (columns, rows, 3) from the roots to the tips."""
    out: dict[str, list[Array]] = {}
    for side, joint in (("l", "eye.L"), ("r", "eye.R")):
        for name, k in (("lower", 1), ("upper", 2)):
            grid = body.vertices[_grid(body.source.faces[f"helper-{side}-eyelashes-{k}"])]
            far = np.linalg.norm(grid - body.joints[joint][0], axis=2).mean(axis=0)
            out.setdefault(name, []).append(grid if far[0] < far[-1] else grid[:, ::-1])
    return out


def _grid(quads: Numbers) -> Numbers:
    """(columns, rows) numbers of the vertices of a strip of quads, more of them along than across."""
    beside: dict[int, set[int]] = {}
    for a, b in zip(quads.ravel(), np.roll(quads, -1, axis=1).ravel(), strict=True):
        beside.setdefault(int(a), set()).add(int(b))
        beside.setdefault(int(b), set()).add(int(a))
    corners = [v for v in beside if len(beside[v]) == 2]
    first = min((_path(beside, corners[0], to) for to in corners[1:]), key=len)
    columns, done = [first], set(first)
    while len(done) < len(beside):
        columns.append([next(iter(beside[v] - done - set(columns[-1]))) for v in columns[-1]])
        done |= set(columns[-1])
    return np.array(columns)


def _path(beside: dict[int, set[int]], start: int, end: int) -> list[int]:
    """The shortest way between two vertices, along the border of a strip."""
    ways = [[start]]
    seen = {start}
    while ways[0][-1] != end:
        way = ways.pop(0)
        for v in sorted(beside[way[-1]] - seen):
            if len(beside[v]) < 4:
                seen.add(v)
                ways.append([*way, v])
    return ways[0]


def attributes(body: Body) -> dict[str, Array]:
    """0..1 per vertex of the body: what its skin is like there."""
    source, v = body.source, body.vertices[:BODY_VERTICES]
    out = dict(source.mask)

    def moved(path: str, power: float = 1.0) -> Array:
        index, by = source.target(path)
        values = np.zeros(len(body.vertices))
        values[index] = np.linalg.norm(by, axis=1)
        return np.asarray((values / values.max())[:BODY_VERTICES] ** power)

    cheeks = moved("cheek/l-cheek-volume-incr") + moved("cheek/r-cheek-volume-incr")
    out["flush"] = np.clip(0.9 * cheeks + 0.8 * moved("nose/nose-volume-incr") + 0.5 * out["ears"], 0.0, 1.0)
    out["brow"] = moved("eyebrows/eyebrows-trans-up")
    lashes = np.concatenate([body.vertices[np.unique(source.faces[f"helper-{s}-eyelashes-{k}"])]
                             for s in "lr" for k in (1, 2)])  # fmt: skip
    distance, _ = cKDTree(lashes).query(v)
    out["lash"] = np.exp(-((distance / 0.0022) ** 2))
    chin = body.joints["jaw"][1]
    eyes = 0.5 * (body.joints["eye.L"][0] + body.joints["eye.R"][0])
    nose = v[np.argmax(v[:, 2] * (body.follow[:BODY_VERTICES] > 0.9))]
    low = np.clip((nose[1] - 0.006 - v[:, 1]) / 0.012, 0.0, 1.0)
    ears = v[out["ears"] > 0.5].mean(axis=0)
    ahead = np.clip((v[:, 2] - ears[2] - 0.006) / 0.02, 0.0, 1.0)
    whiskers = np.clip((eyes[1] - 0.035 + 0.35 * (ears[2] + 0.03 - v[:, 2]) - v[:, 1]) / 0.012, 0.0, 1.0)
    head = body.follow[:BODY_VERTICES] > 0.85
    out["beard"] = np.clip(np.maximum(low, whiskers) * ahead * (1.0 - out["lips"]) * head, 0.0, 1.0)
    out["beard"] *= np.clip((v[:, 1] - chin[1] + 0.05) / 0.015, 0.0, 1.0)
    return out
