"""Fits dials of the craft to what a game did in the drill on the bench, beside the window, as one step of history."""

from __future__ import annotations

import math

from PyQt6.QtWidgets import QMenu

from oak_sled.core.base import document, units
from oak_sled.core.base.faults import Refused
from oak_sled.core.project import shelf
from oak_sled.core.study import fit, sensitivity
from oak_sled.core.study.fit import Fit
from oak_sled.desk.work.background import Task
from oak_sled.desk.work.session import Session

USUAL_RUNS = 300
"""Runs that a fit of a few dials takes: what its progress is counted by."""


def fill(menu: QMenu, session: Session) -> None:
    """The fits that a drill with a recording offers: of the dials that it tells most of, or of one part."""
    inner = menu.addMenu("Fit dials to what the game did")
    if inner is None:
        return
    inner.addAction("those that it tells most of", lambda: begin(session))
    inner.addSeparator()
    for name, paths in by_part(session).items():
        inner.addAction(name, lambda paths=paths: begin(session, paths))


def by_part(session: Session) -> dict[str, tuple[str, ...]]:
    """The dials that do something, by the part that they are of."""
    found: dict[str, list[str]] = {}
    job = session.job().seen_from(session.job().actors[0].craft.id)
    headings = {part.id: part.heading for part in job.craft.parts}
    for path, _ in sensitivity.paths_of(job):
        pieces = path.split(".")
        part = pieces[3] if len(pieces) > 4 and pieces[2] == "parts" else ""
        found.setdefault(headings.get(part, "Body"), []).append(path)
    return {name: tuple(paths) for name, paths in found.items()}


def begin(session: Session, paths: tuple[str, ...] = ()) -> None:
    """Fits, and takes what was found. paths : the dials; none: those that the recording tells most of."""
    yard, drill = session.yard, session.drill
    locked = tuple(path for path in session.locks if document.dial_at(yard, path) is not None)

    def done(found: Fit) -> None:
        if session.yard is not yard:
            session.say("the yard was changed meanwhile: fit once more", True)
            return
        session.change(found.yard, f"fit to {drill.recording.name}" if drill.recording else "fit")
        session.say(words(found), found.is_narrow)

    def refused(fault: Refused) -> None:
        session.say(str(fault.faults[0]), True)

    session.background.add(
        Task(
            "fitting dials to what the game did",
            lambda progress: fit.fit(
                yard, drill, paths, locked, told=lambda runs: progress(min(runs, USUAL_RUNS - 1), USUAL_RUNS)
            ),
            done,
            refused,
        )
    )


def words(found: Fit) -> str:
    """The fit in a sentence or two: how near it comes, and the dials that moved most."""
    before, after, _, held = found.errors["place"]
    near = f"off by {units.show(before, 'm')} before, {units.show(after, 'm')} now, {units.show(held, 'm')} held out"
    moved = sorted(found.dials, key=lambda one: -abs(one.value - one.before) / max(abs(one.before), 1e-9))
    told = []
    for one in moved[:3]:
        known = document.dial_at(found.yard, one.path)
        unit = known.unit if known is not None else ""
        sure = "" if math.isnan(one.spread) else f" ± {units.plain(one.spread, unit, 2)}"
        name = shelf.words_of(shelf.words_path(found.yard, one.path).split(".", 2)[-1])
        bound = ", at its bound" if one.at_bound else ""
        told.append(f"{name} {units.show(one.before, unit)} → {units.show(one.value, unit)}{sure}{bound}")
    narrow = "; what is left is no noise, so a force or another number is off" if found.is_narrow else ""
    return f"{near}: {', '.join(told)}{narrow}"
