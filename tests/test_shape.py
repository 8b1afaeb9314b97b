"""The shape of the code: which half may know which, hints, lint, and one signature a kernel."""

from __future__ import annotations

import ast
import importlib
import importlib.util
import re
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]


@pytest.mark.parametrize(
    "command",
    [
        ["lint-imports"],
        ["mypy"],
        ["ruff", "check", "src", "tests", "scripts"],
        ["ruff", "format", "--check", "src", "tests", "scripts"],
    ],
    ids=["imports", "types", "lint", "format"],
)
def test_the_checkers_find_nothing(command):
    program = Path(sys.executable).with_name(command[0])
    done = subprocess.run([program, *command[1:]], cwd=ROOT, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout[-3000:] + done.stderr[-1000:]


def test_nobody_outside_asks_for_a_kind_of_part_by_name():
    """What differs from kind to kind is asked of the part: see `Part`. New crafts and the bench name what they fit."""
    from oak_sled.core.parts import register

    fit = {"register.py", "blank.py", "families.py", "fiveways.py", "ownloop.py", "report.py", "yardstick.py"}
    kinds = [kind.document for kind in register.KINDS]
    classes = "|".join(one.__name__ for one in kinds)
    names = "|".join(str(one.model_fields["kind"].default) for one in kinds)
    asks = re.compile(rf"import ({classes})\b|isinstance\(.*\b({classes})\b|\.kind (==|!=|in|not in) .*\"({names})\"")
    for file in (ROOT / "src").rglob("*.py"):
        if file.parent.name != "parts" and file.name not in fit:
            found = asks.search(file.read_text(encoding="utf-8"))
            assert found is None, (file, found)


def test_nothing_else_compiles():
    for file in (ROOT / "src").rglob("*.py"):
        if file.name != "machine.py":
            assert "import llvmlite" not in file.read_text(), file
    assert "numba" not in (ROOT / "pyproject.toml").read_text() + (ROOT / "requirements.lock").read_text()


def test_each_kernel_is_compiled_for_one_set_of_types(demo_job):
    from dataclasses import replace

    from oak_sled.core.project.live import LiveDrive
    from oak_sled.core.project.sources import held_values
    from oak_sled.core.results import run
    from oak_sled.core.tick import loop, rowlayout

    run.execute(demo_job)
    run.execute(replace(demo_job, substeps=2, integrator="explicit"))
    run.execute(replace(demo_job, craft=demo_job.craft.replace(parts=())))
    live = LiveDrive(demo_job)
    live.advance(3, held_values(demo_job.craft.channels, {"W"}))
    for kernel in (loop.advance, rowlayout.first_row):
        assert len(kernel.entries) == 1, kernel.entries


def test_a_file_over_400_lines_says_why():
    for file in (ROOT / "src").rglob("*.py"):
        text = file.read_text(encoding="utf-8")
        if len(text.splitlines()) > 400:
            assert "One file, " in ast.get_docstring(ast.parse(text)), file


@pytest.mark.parametrize("script", sorted((ROOT / "scripts").glob("*.py")), ids=lambda script: script.name)
def test_what_a_script_takes_from_the_program_is_there(script):
    for node in ast.parse(script.read_text(encoding="utf-8")).body:
        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("oak_sled"):
            module = importlib.import_module(node.module)
            for one in node.names:
                assert hasattr(module, one.name) or importlib.util.find_spec(f"{node.module}.{one.name}"), one.name


def test_what_takes_or_gives_arrays_across_a_border_tells_their_shapes():
    """Of public functions of the core; an override is told by what it overrides."""
    core, arrays = ROOT / "src" / "oak_sled" / "core", re.compile(r"\b(Floats|Ints|Bools|NDArray|ndarray)\b")
    asked, silent = 0, []
    for file in core.rglob("*.py"):
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            if not isinstance(node, ast.FunctionDef) or node.name.startswith("_"):
                continue
            told = ast.get_docstring(node)
            given = [ast.unparse(one) for one in (*(arg.annotation for arg in node.args.args), node.returns) if one]
            if told is None or not any(arrays.search(one) for one in given):
                continue
            asked += 1
            if not re.search(r"shape|record|row", told, re.IGNORECASE):
                silent.append(f"{file.relative_to(core)} line {node.lineno}: {node.name}")
    assert asked > 100
    assert not silent, silent


def test_a_docstring_opens_with_its_subject():
    asks = ("What ", "Where ", "Whether ", "Whose ", "How ", "Which ", "Who ", "Why ", "When ")
    found = []
    for file in [*(ROOT / "src").rglob("*.py"), *(ROOT / "scripts").glob("*.py")]:
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            for one in node.body if isinstance(getattr(node, "body", None), list) else ():
                text = one.value.value if isinstance(one, ast.Expr) and isinstance(one.value, ast.Constant) else ""
                if isinstance(text, str) and text.strip().startswith(asks):
                    found.append(f"{file.name} line {one.lineno}: {text.strip().splitlines()[0]}")
    assert not found, "say what it is or does"


def test_a_name_is_imported_from_where_it_is_made():
    """A name that a module only imports is asked of its own module: else it breaks when that one no longer needs it."""
    made = {}
    for file in (ROOT / "src").rglob("*.py"):
        module = ".".join(file.relative_to(ROOT / "src").with_suffix("").parts).removesuffix(".__init__")
        tree = ast.parse(file.read_text(encoding="utf-8"))
        made[module] = {alias.asname or alias.name: node.module for node in tree.body
                        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("oak_sled")
                        for alias in node.names}  # fmt: skip
    for file in [*(ROOT / "src").rglob("*.py"), *(ROOT / "tests").rglob("*.py"), *(ROOT / "scripts").glob("*.py")]:
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            if isinstance(node, ast.ImportFrom) and node.module in made:
                passed_on = [alias.name for alias in node.names if alias.name in made[node.module]]
                assert not passed_on, f"{file.name}: {passed_on} of {node.module}"
