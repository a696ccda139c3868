"""Every kind of damaged file through every door: ``python -m tests.attacks.campaign [COUNT] [SEED]``.

Prints what was refused, what was read, and what fell. A fall is any error but Matiz's own, a wait of over
10 s, or memory of over 300 MB more in this process. The default tests try a small sample of the same.
"""

import argparse
import resource
import tempfile
import time
import traceback
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path

from matiz.develop.graph.engine import Engine
from matiz.errors import MatizError
from matiz.findings.find import find
from matiz.measure.picture import Meter
from matiz.raw.decode import Decoder
from matiz.recipe.model import RAW, plain_recipe
from matiz.shoot.sidecar import load_document, read_recipe, save_document, sidecar_path
from matiz_simcam.camera import Settings, expose
from matiz_simcam.targets import chart

from .damage import FILES, TEXTS, damaged, damaged_text, good_files, good_texts

MOST_S, MOST_MB = 10.0, 300.0
MEASURE_EVERY = 10


@dataclass
class Tally:
    """What became of the files of one kind."""

    outcomes: Counter[str] = field(default_factory=Counter)
    slowest_s: float = 0.0
    falls: list[str] = field(default_factory=list)


class Campaign:
    """A decoder, a folder and whole files to damage."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._files, self._texts = good_files(folder), good_texts()
        self._decoder = Decoder()
        self._engine = Engine(expose(chart((90, 60)), Settings()))

    def run(self, kind: str, count: int, seed: int) -> Tally:
        """Attack with `count` files of one kind."""
        tally = Tally()
        for n in range(count):
            began = time.monotonic()
            try:
                outcome = self._file(kind, seed + n, n) if kind in FILES else self._text(kind, seed + n)
            except MatizError:
                outcome = "refused"
            except Exception:
                outcome = "fell"
                tally.falls.append(f"{kind} {seed + n}: {traceback.format_exc(limit=-3)}")
            took = time.monotonic() - began
            tally.slowest_s = max(tally.slowest_s, took)
            if took > MOST_S:
                tally.falls.append(f"{kind} {seed + n}: took {took:.1f} s")
            tally.outcomes[outcome] += 1
        return tally

    def end(self) -> None:
        self._decoder.stop()

    def _file(self, kind: str, seed: int, n: int) -> str:
        path = self._folder / f"a.{kind}"
        path.write_bytes(damaged(self._files[kind], seed))
        try:
            self._decoder.listing(path)
        except MatizError:
            listed = "without a preview"
        else:
            listed = "whole"
        frame = self._decoder.frame(path)
        engine, recipe = Engine(frame), plain_recipe(frame.start)
        engine.render(recipe, 0)
        if n % MEASURE_EVERY == 0:
            find(engine, Meter(engine).picture(recipe), recipe)
        return f"read, {listed}"

    def _text(self, kind: str, seed: int) -> str:
        data = damaged_text(self._texts[kind], seed)
        if kind == "recipe":
            recipe = read_recipe(data.decode("utf-8", "surrogateescape"), RAW)
        else:
            picture = self._folder / "b.dng"
            sidecar_path(picture).write_bytes(data)
            document = load_document(picture)
            document, _ = document.change_all([("tone.exposure_EV", 0.31)], label="after")
            save_document(picture, document)
            assert load_document(picture) == document, "what was saved is not what is read"
            recipe = document.recipe
        self._engine.render(recipe, 0)
        return "read"


def memory_MB() -> float:
    """The most that this process has taken."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024.0


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("count", type=int, nargs="?", default=2000)
    parser.add_argument("seed", type=int, nargs="?", default=1)
    parser.add_argument("--kinds", nargs="+", default=[*FILES, *TEXTS])
    given = parser.parse_args()
    fell = 0
    with tempfile.TemporaryDirectory() as folder:
        campaign = Campaign(Path(folder))
        campaign.run("jpg", 20, 10**6)
        before = memory_MB()
        for kind in given.kinds:
            tally = campaign.run(kind, given.count, given.seed)
            fell += len(tally.falls)
            print(f"{kind}: {dict(tally.outcomes)}, slowest {tally.slowest_s:.1f} s, {len(tally.falls)} fell")
            print("\n".join(tally.falls[:5]), flush=True)
        more = memory_MB() - before
        print(f"memory: {more:.0f} MB more")
        campaign.end()
    return 1 if fell or more > MOST_MB else 0


if __name__ == "__main__":
    raise SystemExit(main())
