"""The hand in the yard view: pulls a craft back on its sling, and pokes whatever it is laid on.

Signals of `Hand`: happened(Event, first) for a live drive, changed() when the picture must follow.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from oak_sled.core.advice import preview
from oak_sled.core.assembly import bodynames
from oak_sled.core.base import document, units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import Refused
from oak_sled.core.parts.register import AnyPart
from oak_sled.core.results import rotations
from oak_sled.core.results.run import Run
from oak_sled.core.yard.event import Event
from oak_sled.core.yard.naming import free_name
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.session import Session
from oak_sled.desk.yardview import arrows, freight
from oak_sled.desk.yardview.camera import Camera

NEAR_PX = 34.0
"""px from the middle of a craft within which its sling is taken hold of."""
POKE_SPEED = 2.0
"""m/s that a click gives; as many for each m of a drag."""
CLICK_PX = 5.0


@dataclass
class Grip:
    """The thing that is held: a sling, or a body at a point. target : id of a block, empty for the craft."""

    what: str
    target: str
    mass: float
    point: Floats  # world axes, m
    local: Floats  # the same from its centre of mass, own axes
    start: QPointF
    vector: Floats  # m so far
    moved: bool = False


class Hand(QObject):
    """Takes hold of bodies under the pointer; a drill gets an event of it, a live drive feels it at once."""

    happened = pyqtSignal(object)
    changed = pyqtSignal()

    def __init__(self, session: Session, parent: QObject | None = None):
        super().__init__(parent)
        self.session = session
        self.poking = False
        self.grip: Grip | None = None
        self.path: Floats | None = None
        self._event = ""

    def sling(self) -> AnyPart:
        """The sling of the craft on the bench."""
        return next((p for p in self.session.craft.parts if p.PULLED and not p.mute), None)

    def set_poking(self, on: bool) -> None:
        """From now on a press on a body pokes it."""
        self.poking = on
        self.changed.emit()

    # hand

    def press(self, at: QPointF, camera: Camera, run: Run, row: int) -> bool:
        """True if the pointer grabs something at a px."""
        if self.poking:
            self.grip = self._touched(at, camera, run, row)
            if self.grip is None:
                self.session.say("poke: press on the craft or a dynamic block, and drag to set direction and strength")
            return self.grip is not None
        sling = self.sling()
        if sling is None:
            return False
        place = self._held_at(run, row)[:3]
        px, depth = camera.project(place)
        if depth[0] <= 0.1 or math.hypot(px[0][0] - at.x(), px[0][1] - at.y()) > NEAR_PX:
            return False
        mass = run.job.single.body.true_mass()
        self.grip = Grip("sling", sling.id, mass, place, np.zeros(3), at, np.zeros(3))
        if self.session.shown.live_on:
            self.happened.emit(Event(id="hold", what="hold", target=sling.id))
        return True

    def _held_at(self, run: Run, row: int) -> Floats:
        """The row in which the sling releases: the pose the craft is pulled from."""
        event = self._release()
        if self.session.shown.live_on or event is None:
            return np.asarray(run.own_row(row))
        return np.asarray(run.own_row(run.at(event.t)))

    def _release(self) -> Event | None:
        sling = self.sling()
        known = [one for one in self.session.drill.events if one.what == "release" and sling and one.target == sling.id]
        return known[0] if known else None

    def aim(self, at: QPointF, camera: Camera, run: Run) -> bool:
        """The pull or the poke follows the pointer, and the path where a pull leads; False while nothing has moved."""
        grip = self.grip
        if grip is None:
            return False
        grip.moved = grip.moved or (at - grip.start).manhattanLength() > CLICK_PX
        spot = _on_level(camera, at, float(grip.point[2]))
        if spot is None or not grip.moved:
            return False
        grip.vector = np.round(spot - grip.point, 2)
        sling = self.sling()
        if grip.what == "sling" and sling is not None:
            x, y, z = (float(value) for value in grip.vector)
            row = self._held_at(run, run.ticks if self.session.shown.live_on else self.session.shown.row)
            self.path = preview.sling_path(run.job, sling, row[:7], (x, y, z))
        return True

    def move(self, at: QPointF, camera: Camera, run: Run) -> None:
        """The pointer goes on: the selection follows, and the drill with it."""
        grip = self.grip
        if grip is None or not self.aim(at, camera, run):
            return
        self.changed.emit()
        if self.session.shown.live_on:
            return
        if grip.what == "sling":
            self._preview_event("release", grip.target, grip.vector, np.zeros(3))
        else:
            self._preview_event("poke", grip.target, grip.vector * POKE_SPEED * grip.mass, grip.local)

    def release(self, camera: Camera) -> None:
        """Releases: the craft is launched, or the body poked."""
        grip, self.grip, self.path = self.grip, None, None
        if grip is None:
            return
        if grip.what == "poke" and not grip.moved:  # a click: away from the eye
            away = camera.target - camera.eye
            away[2] = 0.0
            grip.vector = away / max(float(np.linalg.norm(away)), 1e-9)
            if not self.session.shown.live_on:
                self._preview_event("poke", grip.target, grip.vector * POKE_SPEED * grip.mass, grip.local)
        if self.session.shown.live_on:
            made = self._made(grip)
            if made is not None:
                self.happened.emit(made)
        elif self._event:
            self.session.commit("pull the sling" if grip.what == "sling" else f"poke {grip.target}".strip())
        self._event = ""
        self.changed.emit()

    def cancel(self) -> None:
        """Lets go without a push."""
        grip, self.grip, self.path = self.grip, None, None
        self._event = ""
        if grip is None:
            return
        if self.session.shown.live_on and grip.what == "sling":
            self.happened.emit(Event(id="release", what="release", target=grip.target))
        else:
            self.session.cancel()
        self.changed.emit()

    def _made(self, grip: Grip) -> Event | None:
        if grip.what == "sling":
            return self._event_of("release", grip.target, grip.vector, np.zeros(3))
        return self._event_of("poke", grip.target, grip.vector * POKE_SPEED * grip.mass, grip.local)

    def _event_of(self, what: str, target: str, vector: Floats, point: Floats) -> Event | None:
        """The event of a pull or a poke; None, with the fault said, where it is more than an event holds."""
        x, y, z = (round(float(value), 3) for value in vector)
        a, b, c = (round(float(value), 3) for value in point)
        fields = {"id": what, "what": what, "target": target, "x": x, "y": y, "z": z, "at_x": a, "at_y": b, "at_z": c}
        try:
            made: Event = document.checked(Event, fields, what)
        except Refused as refused:
            self.session.say(str(refused.faults[0]), True)
            return None
        return made

    def _preview_event(self, what: str, target: str, vector: Floats, point: Floats) -> None:
        """Shows the drill with this event in it; a sling has one release, which is changed."""
        drill = self.session.drill
        old = self._release() if what == "release" else next((e for e in drill.events if e.id == self._event), None)
        made = self._event_of(what, target, vector, point)
        if made is None:
            return
        if old is not None:
            made = made.replace(id=old.id, t=old.t)
            events = tuple(made if one.id == old.id else one for one in drill.events)
        else:
            made = made.replace(id=free_name(what, drill.events), t=round(self.session.shown.time, 3))
            events = (*drill.events, made)
        self._event = made.id
        self.session.preview(f"drills.{drill.id}.events", events)

    def _touched(self, at: QPointF, camera: Camera, run: Run, row: int) -> Grip | None:
        """The nearest loose body under a px, and where the pointer touches it."""
        eye, way = _ray(camera, at)
        bodies = []
        for single in run.job.bodies:
            numbers, body = run.seen_from(single.id).own_row(row), single.body
            bodies.append(
                (
                    "" if single.id == run.job.actors[0].craft.id else single.id,
                    numbers[:3],
                    numbers[3:7],
                    np.array(body.half_extents()),
                    np.array(body.middle()) - np.array(body.centre()),
                    body.true_mass(),
                )
            )
        for one, place in zip(bodynames.moving(run.job.ground), freight.places(run, row), strict=False):
            if one.moves == "free" and run.layout.blocks:
                bodies.append(
                    (one.id, place[:3], place[3:7], np.array(one.half_extents()), -np.array(one.centre()), one.mass)
                )
        best: Grip | None = None
        nearest = math.inf
        for name, centre, attitude, half, middle, mass in bodies:
            axes = rotations.rotation(attitude)
            far = _enters(axes.T @ (eye - centre) - middle, axes.T @ way, half)
            if far < nearest:
                nearest = far
                point = eye + far * way
                best = Grip("poke", name, mass, point, axes.T @ (point - centre), at, np.zeros(3))
        return best

    # picture

    def paint(self, painter: QPainter, camera: Camera) -> None:
        """The band or the arrow that is dragged, what it gives, and where it leads."""
        grip = self.grip
        if grip is None:
            return
        px, depth = camera.project(np.array([grip.point, grip.point + grip.vector]))
        if min(depth) <= 0.1:
            return
        at, tip = QPointF(*px[0]), QPointF(*px[1])
        ink = theme.family("impulse")
        labels = arrows.Labels(camera.width, camera.height)
        if self.path is not None and len(self.path) > 1:
            line, far = camera.project(self.path[:: max(1, len(self.path) // 120)])
            painter.setPen(QPen(ink, 2.0))
            spots = [QPointF(x, y) for (x, y), d in zip(line.tolist(), far.tolist(), strict=True) if d > 0.1]
            painter.drawPolyline(QPolygonF(spots))
        if grip.what == "sling":
            painter.setPen(QPen(theme.family("tie"), 3.0))
            painter.drawLine(at, tip)
            painter.setBrush(theme.colour("card"))
            painter.drawEllipse(tip, 7.0, 7.0)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            labels.draw(painter, tip + QPointF(6, 0), self.words(), ink)
        elif grip.moved:
            arrows.draw(painter, at, tip, "impulse", True)
            labels.draw(painter, tip, self.words(), ink)

    def words(self) -> str:
        """The selection, in numbers."""
        grip = self.grip
        if grip is None:
            return ""
        pull = float(np.linalg.norm(grip.vector))
        sling = self.sling()
        if grip.what == "sling" and sling is not None:
            given = sling.trim * sling.size * sling.share(pull)
            speed = given / grip.mass if sling.way == "impulse" else given
            past = ", past its cap" if pull > sling.cap else ""
            return f"pull {units.show(pull, 'm')}{past}: {units.show(speed, 'm/s')}"
        return f"{units.show(pull * POKE_SPEED * grip.mass, 'N s')}: {units.show(pull * POKE_SPEED, 'm/s')}"


def _ray(camera: Camera, at: QPointF) -> tuple[Floats, Floats]:
    """The eye, and the unit direction from it through a px."""
    x, y = 2.0 * at.x() / camera.width - 1.0, 1.0 - 2.0 * at.y() / camera.height
    far = np.linalg.solve(camera.matrix, np.array([x, y, 1.0, 1.0]))
    way = far[:3] / far[3] - camera.eye
    return camera.eye, way / np.linalg.norm(way)


def _on_level(camera: Camera, at: QPointF, height: float) -> Floats | None:
    """Point at which the line of sight through a px reaches a height; None if it does not."""
    eye, way = _ray(camera, at)
    if abs(way[2]) < 1e-6 or (height - eye[2]) / way[2] <= 0.0:
        return None
    far = min((height - eye[2]) / way[2], 500.0)
    spot = eye + far * way
    spot[2] = height
    return np.asarray(spot)


def _enters(eye: Floats, way: Floats, half: Floats) -> float:
    """m along a ray to a box about 0, in its axes; inf when it passes it (slabs; Ericson, section 5.3.3)."""
    with np.errstate(divide="ignore", invalid="ignore"):
        one, other = (-half - eye) / way, (half - eye) / way
    first, last = float(np.nanmax(np.minimum(one, other))), float(np.nanmin(np.maximum(one, other)))
    return first if 0.0 < first <= last else math.inf
