"""Numbers with units go through one formatter and one parser, so that other units can be put there in one place."""

from __future__ import annotations

import ast
import re
from pathlib import Path

import pytest

from oak_sled.core.advice import outlook
from oak_sled.core.assembly import jobs
from oak_sled.core.base import units
from oak_sled.core.project import demos
from oak_sled.core.results import run

ROOT = Path(__file__).parents[1] / "src" / "oak_sled"
FILES = sorted(file for part in ("core", "desk") for file in (ROOT / part).rglob("*.py"))
OWN = {
    "core/base/units.py": "the formatter itself",
    "core/base/disk.py": "s of waiting for a file",
    "core/files/format_page.py": "as files have it",
    "core/portable/numbers.py": "as files have it",
    "core/yard/lawbook.py": "as files have it",
    "desk/spread/computing.py": "s of computing",
    "desk/trials/soak.py": "s of computing",
}
"""Files whose numbers are of computing, or are written as files have them."""
UNIT = re.compile(r"\s?(N m s|N s/m|N s|N/m|N m|N|m/s2|m/s|m|s|°/s|°/g|°|rad/s|rad|kg|1/s|J|W)(?![A-Za-z/²])")


def written_by_hand(file: Path) -> list[str]:
    """Numbers of an f-string that are formatted with a unit behind them."""
    found = []
    for node in ast.walk(ast.parse(file.read_text())):
        values = node.values if isinstance(node, ast.JoinedStr) else []
        for one, behind in zip(values, values[1:], strict=False):
            if isinstance(one, ast.FormattedValue) and one.format_spec is not None:
                spec = ast.unparse(one.format_spec)
                text = behind.value if isinstance(behind, ast.Constant) else ""
                # a unit that is a value itself: f"{value:g} {dial.unit}"
                place = values.index(one)
                next_one = values[place + 2] if text == " " and place + 2 < len(values) else behind
                named = isinstance(next_one, ast.FormattedValue) and ast.unparse(next_one.value).endswith("unit")
                if re.search(r"[fge]['\"]$", spec) and (UNIT.match(text) or named):
                    found.append(f"{file.relative_to(ROOT)}:{node.lineno}: {text.strip()[:12]}")
    return found


def test_no_number_with_a_unit_is_written_by_hand():
    found = [line for file in FILES if str(file.relative_to(ROOT)) not in OWN for line in written_by_hand(file)]
    assert not found, "units.fixed, units.plain and units.show write numbers with units"
    assert written_by_hand(ROOT / "desk/spread/computing.py"), "the check sees such numbers"
    assert all((ROOT / name).exists() for name in OWN)


class Pixels(units.Display):
    """A game that counts 64 pixels to the metre."""

    def shown(self, value, unit):
        return (64.0 * value, unit.replace("m", "px", 1)) if unit in ("m", "m/s", "m/s2") else (value, unit)

    def taken(self, value, unit):
        return value / 64.0 if unit in ("m", "m/s", "m/s2") else value


def test_every_way_to_write_a_number_and_to_read_it_takes_the_units_in_use():
    assert units.plain(0.5, "m") == "0.5 m"
    with units.using(Pixels()):
        assert units.plain(0.5, "m") == "32 px"
        assert units.fixed(0.5, "m/s", 1) == "32.0 px/s"
        assert units.show(2.0, "m") == "128\u2009px"
        assert units.reading(2.0, "m/s2") == ("128", "px/s²")
        assert units.told(0.25, "m") == "16"
        assert units.name_of("m/s") == "px/s"
        assert units.plain(3.0, "kg") == "3 kg"
        assert units.read("32", "m") == 0.5
        assert units.read("2 m", "m") == 2.0, "a typed unit wins"
        assert units.read("=2*pi", "kg") == pytest.approx(6.2831853)
    assert units.show(2.0, "m") == "2.00\u2009m"
    assert units.read("32", "m") == 32.0


def test_outlooks_follow_and_nothing_that_is_computed_does():
    yard = demos.load("fan-sled")
    job = jobs.job_of(yard)
    here = run.execute(job).digest
    setting = outlook.setting_of(yard.craft(), yard.ground(), yard.ticks)
    told = [part.outlook(setting) for part in yard.craft().parts]
    with units.using(Pixels()):
        assert run.execute(job).digest == here
        other = [part.outlook(setting) for part in yard.craft().parts]
    assert told != other
    assert any("px" in line for lines in other for line in lines)
    assert not any(re.search(r"\d\s?m(/s)?\b", line) for lines in other for line in lines), "no metre is left"
