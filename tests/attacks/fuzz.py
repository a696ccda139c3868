"""Parsers fed with what reaches new parts of them: ``python -m tests.attacks.fuzz [SECONDS] [--targets NAME ...]``.

atheris (libFuzzer for Python) changes inputs and keeps those that run lines which none ran before; so many seconds for
each target, in a process of its own. A fall is any error but Matiz's own, 10 s for one input, or 2 GB of memory.
"""

import argparse
import contextlib
import re
import subprocess
import sys
import tempfile
from pathlib import Path

MOST_MB, MOST_S = 2048, 10
NAMES = ("sidecar", "recipe", "merged", "orders", "queue", "sets", "silenced", "brief", "look", "xmp")
"""Of `targets.targets`, which is imported only once it is instrumented."""
WORDS = (
    "versions", "recipe", "history", "changes", "position", "items", "places", "mask", "kind", "id", "of", "strokes",
    "path", "points", "columns", "orders", "owed", "draft", "process", "absent", "NaN", "Infinity", "1e999", "place",
    "brush", "schema", "processing", "start",
)  # fmt: skip
INSTRUMENTED = ["matiz.recipe", "matiz.shoot", "matiz.deliver.orders", "matiz.deliver.queue_file", "matiz.raw.frame",
                "matiz.raw.listing", "matiz.measure.sort.brief"]  # fmt: skip


def fuzz(name: str, seconds: int, corpus: Path) -> None:
    """Run one target in this process, which ends with it."""
    import atheris

    with atheris.instrument_imports(include=INSTRUMENTED):
        from . import targets
    target = targets.targets()[name]
    for n, seed in enumerate(target.seeds):
        (corpus / f"seed{n}").write_bytes(seed)
    words = corpus.parent / f"{name}.dict"
    words.write_text("".join(f'"\\"{word}\\""\n' for word in WORDS))

    def one(data: bytes) -> None:
        with contextlib.suppress(*targets.ALLOWED):
            target.run(data)

    atheris.Setup(
        [sys.argv[0], str(corpus), f"-max_total_time={seconds}", f"-timeout={MOST_S}", f"-rss_limit_mb={MOST_MB}",
         f"-dict={words}", "-max_len=65536", "-print_final_stats=1", f"-artifact_prefix={corpus.parent}/{name}-"],
        one,
    )  # fmt: skip
    atheris.Fuzz()


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("seconds", type=int, nargs="?", default=600)
    parser.add_argument("--targets", nargs="+", default=NAMES)
    parser.add_argument("--child", nargs=2)
    given = parser.parse_args()
    if given.child:
        fuzz(given.child[0], given.seconds, Path(given.child[1]))
        return 0
    fell = 0
    with tempfile.TemporaryDirectory(prefix="matiz-fuzz-") as folder:
        for name in given.targets:
            corpus = Path(folder) / name
            corpus.mkdir()
            command = [sys.executable, "-m", "tests.attacks.fuzz", str(given.seconds), "--child", name, str(corpus)]
            done = subprocess.run(command, capture_output=True, text=True, errors="replace")
            runs = re.findall(r"stat::number_of_executed_units:\s*(\d+)", done.stderr)
            covered = re.findall(r"cov: (\d+)", done.stderr)
            kept = len(list(corpus.iterdir()))
            print(f"{name}: {runs[-1] if runs else '?'} inputs, {covered[-1] if covered else '?'} places reached, "
                  f"{kept} kept, {'fell' if done.returncode else 'none fell'}", flush=True)  # fmt: skip
            if done.returncode:
                fell += 1
                print(done.stdout[-3000:], done.stderr[-1500:], sep="\n")
                for path in Path(folder).glob(f"{name}-*"):
                    print(f"{path.name}: {path.read_bytes()[:2000]!r}")
    return 1 if fell else 0


if __name__ == "__main__":
    raise SystemExit(main())
