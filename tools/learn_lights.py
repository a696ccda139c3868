"""Write src/matiz/assets/readings/light_cues.csv and light_pairs.csv: what speaks for a light, and for two.

Run by a developer, seldom, from the project's folder: ``python -m bench.photographs`` first, then
``python tools/learn_lights.py``. The files are committed. `./dev bench readings` tests the same learning on
photographs that were left out.
"""

import csv
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.learning import left_out_lights, light_weights, pair_weights, seen, taught, tried

from matiz.measure.light.evidence import CUES

FOLDER = Path(__file__).parents[1] / "src/matiz/assets/readings"
EACH = 6


def write(name: str, weights: dict[str, float]) -> None:
    with (FOLDER / f"{name}.csv").open("w", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(["name", "weight"])
        writer.writerows((key, f"{value:.5g}") for key, value in weights.items())


def main() -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    pictures = seen(EACH)
    write("light_cues", dict(zip(CUES, map(float, light_weights(taught(pictures))), strict=True)))
    pairs = [one for one in tried(EACH, left_out_lights(pictures)) if one.signs]
    write("light_pairs", pair_weights(pairs))


if __name__ == "__main__":
    main()
