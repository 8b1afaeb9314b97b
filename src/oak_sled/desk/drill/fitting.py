"""Fits dials of the craft to what a game did in the drill on the bench, beside the window, as one step of history."""

from __future__ import annotations

import math
from functools import partial

from PyQt6.QtWidgets import QMenu, QWidget

from oak_sled.core.base import document, units
from oak_sled.core.base.faults import Refused
from oak_sled.core.project import gamestudy, shelf
from oak_sled.core.project.gamestudy import GameStudy
from oak_sled.core.results.run import Run
from oak_sled.core.study import fit, sensitivity
from oak_sled.core.study.fit import Fit
from oak_sled.core.yard.naming import free_name
from oak_sled.desk.drill.besidegame import BesideGame
from oak_sled.desk.work.background import Task
from oak_sled.desk.work.session import Session

USUAL_RUNS = 300
"""Runs that a fit of a few dials takes: what its progress is counted by."""


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


class Fitting:
    """The acts that a drill with a recording offers, and the panel that shows what came of them. hidden : the widgets
    in whose place it is shown."""

    def __init__(self, session: Session, *hidden: QWidget):
        self.session, self.panel = session, BesideGame()
        self.panel.stand_in_for(*hidden)
        self.panel.build.connect(self.build)
        self.panel.refit.connect(self.begin)
        session.yard_changed.connect(self._settle)
        session.units.changed.connect(self.panel.retell)

    def _settle(self) -> None:
        """Another drill, or another yard: what is shown is of one that is not there any more."""
        study = self.panel.study
        if self.panel.isVisible() and study is not None and study.drill.id != self.session.drill.id:
            self.panel.leave()

    def fill(self, menu: QMenu) -> None:
        """A look at it, and fits: of the dials that it tells most of, or of one part."""
        menu.addAction("What the craft lacks beside the game, and the game's laws", self.look)
        inner = menu.addMenu("Fit dials to what the game did")
        if inner is None:
            return
        inner.addAction("those that it tells most of", self.begin)
        inner.addSeparator()
        for name, paths in by_part(self.session).items():
            inner.addAction(name, partial(self.begin, paths))

    def look(self, found: Fit | None = None, before: Run | None = None) -> None:
        """Shows the recording beside the craft. found : what was fitted to it; before : the run before that."""
        yard, drill = self.session.yard, self.session.drill

        def done(study: GameStudy) -> None:
            if self.session.drill is drill:
                self.panel.show_study(study, found, before)

        self.session.background.add(
            Task("reading what the game did", lambda _: gamestudy.of(yard, drill), done, self._refused)
        )

    def begin(self, paths: tuple[str, ...] = ()) -> None:
        """Fits, takes what was found and shows it. paths : the dials; none: those that the recording tells most of."""
        session = self.session
        yard, drill, before = session.yard, session.drill, session.shown.run
        locked = tuple(path for path in session.locks if document.dial_at(yard, path) is not None)

        def done(found: Fit) -> None:
            if session.yard is not yard:
                session.say("the yard was changed meanwhile: fit once more", True)
                return
            session.change(found.yard, f"fit to {drill.recording.name}" if drill.recording else "fit")
            session.say(words(found), found.is_narrow)
            self.look(found, before)

        session.background.add(
            Task(
                "fitting dials to what the game did",
                lambda progress: fit.fit(
                    yard, drill, paths, locked, told=lambda runs: progress(min(runs, USUAL_RUNS - 1), USUAL_RUNS)
                ),
                done,
                self._refused,
            )
        )

    def build(self) -> None:
        """A craft that moves by the laws of the game, on the bench in a drill of the same recording."""
        session, study = self.session, self.panel.study
        if study is None:
            return
        try:
            made, _, lacking = gamestudy.with_craft(session.yard, study, free_name("own_laws", session.yard.crafts))
        except Refused as refused:
            self._refused(refused)
            return
        self.panel.leave()
        session.change(made, "a craft of the game's laws")
        told = "a craft of the game's laws is on the bench, in a drill of the same recording"
        session.say("; ".join([told, *lacking]), bool(lacking))
        self.look()

    def _refused(self, fault: Refused) -> None:
        self.session.say(str(fault.faults[0]), True)


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
