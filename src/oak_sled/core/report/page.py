"""A report: one page in HTML about a craft and its run, for a design review. It needs no program, file or network.

What it says comes from where the window has it: outlooks, measures, targets, traces, ledger and cautions.
"""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any
from xml.etree.ElementTree import Element

import numpy as np

from oak_sled.core.advice import cautions, outlook
from oak_sled.core.base import disk, units
from oak_sled.core.base.dial import dials
from oak_sled.core.base.inks import FAMILIES, PAPER
from oak_sled.core.base.units import STANDARD_GRAVITY
from oak_sled.core.project import changelist
from oak_sled.core.project.shelf import Card
from oak_sled.core.report import drawings
from oak_sled.core.report.nodes import node, page, table
from oak_sled.core.results import ledger, measures, traces
from oak_sled.core.results.run import Run
from oak_sled.core.results.tracegroups import DEFAULT, GROUPS, members

STYLE = f"""
body {{ font: 14px/1.45 "B612", "DejaVu Sans", sans-serif; color: {PAPER["ink"]}; background: {PAPER["card"]};
  margin: 24px auto; max-width: 800px; padding: 0 20px; }}
h1 {{ font-size: 25px; margin: 0 0 2px; }}
h2 {{ font-size: 17px; margin: 30px 0 8px; border-bottom: 2px solid {PAPER["oak"]}; padding-bottom: 3px; }}
h3 {{ font-size: 14px; margin: 16px 0 3px; }}
p {{ margin: 4px 0; }}
ul {{ margin: 4px 0; padding-left: 20px; }}
.soft {{ color: {PAPER["soft"]}; }}
.met {{ color: {PAPER["good"]}; font-weight: bold; }}
.missed {{ color: {PAPER["warning"]}; font-weight: bold; }}
.part {{ border-left: 5px solid; padding-left: 12px; margin: 12px 0; break-inside: avoid; }}
table {{ border-collapse: collapse; width: 100%; margin: 4px 0; font-variant-numeric: tabular-nums; }}
th {{ text-align: left; font-weight: normal; color: {PAPER["soft"]}; border-bottom: 1px solid {PAPER["rule"]}; }}
th, td {{ padding: 2px 10px 2px 0; vertical-align: top; }}
.number {{ text-align: right; white-space: nowrap; }}
.numbers td:first-child, .numbers th:first-child {{ width: 30%; }}
.numbers .number {{ width: 17%; }}
td {{ overflow-wrap: anywhere; }}
td.number {{ overflow-wrap: normal; }}
svg {{ display: block; width: 100%; height: auto; margin: 8px 0; font-family: "B612", "DejaVu Sans", sans-serif; }}
@page {{ size: A4; margin: 14mm; }}
@media print {{ body {{ background: none; margin: 0; max-width: none; padding: 0; font-size: 12px; }}
  h2, h3 {{ break-after: avoid; }} svg, tr {{ break-inside: avoid; }} }}
"""


def written(run: Run, old: Card | None = None, cards: Sequence[Card] = (), new: Card | None = None) -> str:
    """The page of a run. old, new : cards between which its change list goes, new the one of this run; cards : the
    shelf that they are of."""
    job = run.job
    readings = measures.Readings(run)
    verdicts = measures.judge(job.drill, readings)
    head = node(
        "head",
        node("meta", charset="utf-8"),
        node("title", f"{job.single.heading}: {job.drill.heading}"),
        node("meta", name="viewport", content="width=device-width, initial-scale=1"),
        node("style", STYLE),
    )
    body = node(
        "body",
        _top(run, verdicts),
        _section("Targets", _targets(verdicts)),
        _section("Cautions", _cautions(run)),
        _section("Changes", _changes(old, new, cards)),
        _section("The craft", drawings.craft(job.single), *_parts(run)),
        _section("Path", drawings.path(run)) if run.ticks else None,
        _section("Traces", drawings.strips(run, shown_of(run), _worst(run)[0] * job.dt)) if run.ticks else None,
        _section("Ledger of the worst moment", *_ledger(run)) if run.ticks else None,
        _section("Measures", _measures(run, readings)),
        node("p", f"Oak Sled, {time.strftime('%Y-%m-%d')}, digest {run.digest}", class_="soft"),
    )
    return page(head, body)


def save(text: str, path: Path) -> None:
    """Writes the page, whole or not at all; raises `Refused`."""
    disk.write_whole(path, text.encode())


def shown_of(run: Run) -> list[str]:
    """The strips of a report: those that the window begins with, as far as the run has them."""
    known = traces.book(run)
    return [name for name in DEFAULT if (members(run, name) if name in GROUPS else name in known)]


def _section(title: str, *inside: Element | None) -> Element | None:
    shown = [one for one in inside if one is not None]
    return node("section", node("h2", title), shown) if shown else None


def _top(run: Run, verdicts: Sequence[measures.Verdict]) -> Element:
    job = run.job
    met = sum(verdict.met for verdict in verdicts)
    told: list[Element] = []
    if run.message:
        told.append(node("p", run.message, class_="missed"))
    elif verdicts:
        every = met == len(verdicts)
        words = f"{met} of {len(verdicts)} targets met"
        told.append(node("p", words, class_="met" if every else "missed"))
    where = f"{job.drill.heading} · {job.ground.heading} · {job.ticks} ticks/s · {units.fixed(run.duration, 's', 2)}"
    return node("header", node("h1", job.single.heading), node("p", where, class_="soft"), told)


def _targets(verdicts: Sequence[measures.Verdict]) -> Element | None:
    if not verdicts:
        return None
    rows = [
        (node("span", "met" if one.met else "missed", class_="met" if one.met else "missed"), one.words())
        for one in verdicts
    ]
    return table(("", "target"), rows)


def _cautions(run: Run) -> Element | None:
    found = cautions.find(run.job, run)
    return node("ul", [node("li", str(one)) for one in found]) if found else None


def _changes(old: Card | None, new: Card | None, cards: Sequence[Card]) -> Element | None:
    if old is None or new is None:
        return None
    lines = changelist.lines(old, new, cards)
    told = [node("p", f"From {old.heading}:", class_="soft")]
    return node("div", told, node("ul", [node("li", line) for line in lines or ["no setting differs"]]))


def _parts(run: Run) -> Iterator[Element]:
    """The body and every part: its numbers and what they mean."""
    craft = run.job.single
    setting = outlook.setting_of(craft, run.job.ground, run.job.ticks, run)
    yield _part("Body", "", craft.body, outlook.body_outlook(craft.body, setting))
    for part in craft.parts:
        note = " (muted)" if part.mute else f" (trim {part.trim:.3g})" if part.trim != 1.0 else ""
        yield _part(f"{part.heading}{note}", part.FAMILY, part, part.outlook(setting))


def _part(title: str, family: str, document: Any, says: Sequence[str]) -> Element:
    idle = document.idle() if hasattr(document, "idle") else {}
    rows = [
        (
            dial.heading,
            " ".join(dial.split(getattr(document, dial.name))).strip(),
            "" if dial.says == dial.heading else dial.says,
        )
        for dial in dials(document)
        if dial.main and not idle.get(dial.name)
    ]
    return node(
        "div", node("h3", title), [node("p", line) for line in says if line],
        table(("number", "", "what it is"), rows, (1,)) if rows else None, class_="part",
        style=f"border-color: {FAMILIES.get(family, FAMILIES[''])}",
    )  # fmt: skip


def _worst(run: Run) -> tuple[int, str]:
    """The row of the worst moment, and why: of a run that diverged its end, else where it is accelerated most."""
    if run.is_diverged:
        return run.ticks, "where it diverged"
    size = np.linalg.norm(traces.acceleration(run), axis=1)
    row = int(np.argmax(np.nan_to_num(size)))
    return row, f"where it is accelerated most, {units.show(float(size[row]) / STANDARD_GRAVITY, 'g')}"


def _ledger(run: Run) -> Iterator[Element]:
    row, why = _worst(run)
    rows = [one for one in ledger.ledger(run, row, True) if any(abs(x) > 1e-9 for x in (*one.force, *one.torque))]
    yield node(
        "p", f"At t = {units.fixed(row * run.job.dt, 's', 3)}, {why}. Ahead, left and up are those of the craft."
    )
    force, torque = (units.pretty(units.name_of(unit)) for unit in ("N", "N m"))
    heads = ("line", *(f"{way}, {force}" for way in ("ahead", "left", "up")), *(f"{of}, {torque}" for of in _TURNS))
    cells = [(one.title, *(_told(x, "N") for x in one.force), *(_told(x, "N m") for x in one.torque)) for one in rows]
    total = (
        [sum(one.force[k] for one in rows) for k in range(3)],
        [sum(one.torque[k] for one in rows) for k in range(3)],
    )
    cells.append(("sum = m a", *(_told(x, "N") for x in total[0]), *(_told(x, "N m") for x in total[1])))
    yield table(heads, cells, range(1, 7))


_TURNS = ("roll", "pitch", "yaw")


def _told(value: float, unit: str) -> str:
    return units.number(units.above_floor(value, unit), unit)


def _measures(run: Run, readings: measures.Readings) -> Element | None:
    crafts = [one.craft.id for one in run.job.actors]
    rows = []
    for name in measures.names_of(run):
        value = readings[name]
        if value is not None:
            known = measures.measure(name, crafts)
            rows.append((known.title, units.show(value, known.unit, 4), known.says))
    return table(("measure", "", "what it is"), rows, (1,)) if rows else None
