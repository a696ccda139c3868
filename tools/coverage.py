"""What the tests run: a line per room, and the public functions that no test calls.

``./dev coverage`` runs the tests with pytest-cov and prints this.
"""

import ast
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path

from coverage import Coverage

SOURCE = Path(__file__).resolve().parent.parent / "src"


def rooms(data: Coverage) -> dict[str, tuple[int, int]]:
    """Lines that are run, and lines there are, by room."""
    found: dict[str, tuple[int, int]] = defaultdict(lambda: (0, 0))
    for path in data.get_data().measured_files():
        _, lines, _, missing, _ = data.analysis2(path)
        inside = Path(path).relative_to(SOURCE).parts
        room = "/".join(inside[:-1][: 3 if inside[1] in ("ui", "measure", "develop") else 2])
        run, count = found[room]
        found[room] = run + len(lines) - len(missing), count + len(lines)
    return dict(found)


def uncalled(data: Coverage) -> Iterator[str]:
    """Public functions and methods of which no line is run."""
    for path in sorted(data.get_data().measured_files()):
        missing = set(data.analysis2(path)[3])
        for node in ast.walk(ast.parse(Path(path).read_text())):
            if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
                body = [part.lineno for part in node.body if not _is_text(part)]
                if body and set(body) <= missing:
                    yield f"{Path(path).relative_to(SOURCE)}:{node.lineno} {node.name}"


def _is_text(node: ast.stmt) -> bool:
    return isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)


def main() -> None:
    data = Coverage()
    data.load()
    for room, (run, count) in sorted(rooms(data).items()):
        print(f"{100.0 * run / max(count, 1):5.1f} % of {count:6d} lines  {room}")
    names = list(uncalled(data))
    print(f"{len(names)} public functions that no test calls")
    print("\n".join(names))


if __name__ == "__main__":
    main()
