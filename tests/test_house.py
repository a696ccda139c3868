"""What holds for every module of the house."""

import ast
from collections import Counter
from pathlib import Path

import matiz
import matiz_simcam

ROOMS = [Path(room.__file__).parent for room in (matiz, matiz_simcam)]
MODULES = sorted(path for room in ROOMS for path in room.rglob("*.py"))
MOST_LINES = 450


def test_no_module_is_longer_than_a_few_screens():
    long = {path.name: count for path in MODULES if (count := len(path.read_text().splitlines())) > MOST_LINES}
    assert not long


def test_every_module_says_what_it_is_for():
    assert not [
        path for path in MODULES if path.read_text().strip() and not ast.get_docstring(ast.parse(path.read_text()))
    ]


def test_no_two_classes_share_a_name():
    """A reader who looks one up finds one."""
    classes = (
        node for path in MODULES for node in ast.walk(ast.parse(path.read_text())) if isinstance(node, ast.ClassDef)
    )
    assert not [name for name, count in Counter(node.name for node in classes).items() if count > 1]
