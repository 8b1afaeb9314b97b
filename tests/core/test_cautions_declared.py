"""Every caution that the sources give is declared, once, and nothing else is."""

from __future__ import annotations

import ast
from pathlib import Path

import oak_sled
from oak_sled.core.parts import caution
from oak_sled.core.parts.caution import KINDS

SOURCE = Path(oak_sled.__file__).parent / "core"
PAGE = Path(__file__).parents[2] / "docs" / "cautions.md"


def given():
    """The names of cautions in the sources: of what makes one, and of what a part says of itself."""
    found = set()
    for file in sorted(SOURCE.rglob("*.py")):
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            if not isinstance(node, ast.Call):
                continue
            name = getattr(node.func, "id", getattr(node.func, "attr", ""))
            if name in ("Caution", "caution") and node.args and file.name != "caution.py":
                first = node.args[0]
                if isinstance(first, ast.Constant):
                    found.add(first.value)
                else:
                    assert file.name == "common.py", f"{file.name}:{node.lineno} gives a caution of no fixed name"
    return found


def test_what_is_given_is_declared_and_what_is_declared_is_given():
    names = [one.name for one in KINDS]
    assert len(set(names)) == len(names)
    assert given() == set(names)


def test_a_kind_says_when_and_what_helps():
    for one in KINDS:
        assert one.when
        assert one.helps
        assert not one.when.endswith(".")


def test_the_page_is_what_is_declared():
    assert PAGE.read_text(encoding="utf-8") == caution.page(), "run scripts/write_pages.py"
