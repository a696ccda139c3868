"""Run the benchmarks and print their figures."""

import importlib
import json

from matiz.errors import ArgumentError

NAMES = (
    "recipe",
    "screen",
    "raw",
    "start",
    "window",
    "mend",
    "places",
    "colour",
    "mismatch",
    "faces",
    "found",
    "matting",
    "leaks",
    "people",
    "detail",
    "smear",
    "deliver",
    "merge",
    "readings",
)


def run(name: str | None, *, as_json: bool = False) -> int:
    """All benchmarks, or the one called `name`."""
    if name is not None and name not in NAMES:
        raise ArgumentError(f"bench: one of {', '.join(NAMES)}; got {name!r}")
    results = {}
    for each in [name] if name else NAMES:
        results[each] = importlib.import_module(f"bench.{each}").run()
        if not as_json:
            print(each)
            for what, value in results[each].items():
                print(f"  {value:10.3f}  {what}")
    if as_json:
        print(json.dumps(results))
    return 0
