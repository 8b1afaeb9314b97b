"""Reasons why a craft rolls, yaws and changes its speed at a moment: what each line of its ledger gives, ranked.

Tires are told by the end they stand at, and their side force apart from their force along; what is given sums to the
torque about the axis (or the force along the way) of all lines of that tick.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from oak_sled.core.assembly import bodynames
from oak_sled.core.base import units
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.units import STANDARD_GRAVITY, show
from oak_sled.core.parts.common import Part
from oak_sled.core.results import ledger, rotations, traces
from oak_sled.core.results.run import Run

EVEN = 0.01
"""Share of the greatest reason below which what is left over is nothing."""
LEAST = 1e-3
"""Share of the greatest reason below which one is not told."""


@dataclass(frozen=True)
class Reason:
    """The share of a line: N m about the axis, or N along the way, with its sign."""

    title: str
    words: str
    family: str
    amount: float


@dataclass(frozen=True)
class Answer:
    """The answer why a craft does one thing: what it does, in words, the unit of the amounts, what above 0 means and
    what below (of a turn: to the right, as it is drawn), the reasons with the greatest first, and the sum of all
    lines."""

    name: str
    says: str
    unit: str
    more: str
    less: str
    reasons: tuple[Reason, ...]
    total: float

    @property
    def sentence(self) -> str:
        """The greatest reason either way and what is left of both, in words that need no trade."""
        ways = [(self.more, [one for one in self.reasons if one.amount > 0.0])]
        ways.append((self.less, [one for one in self.reasons if one.amount < 0.0]))
        told = [f"{way} most: {found[0].title}" for way, found in ways if found]
        if not told:
            return "nothing acts on it"
        most = max(abs(one.amount) for one in self.reasons)
        left = f"{show(abs(self.total), self.unit)} left over {self.more if self.total > 0.0 else self.less}"
        return "; ".join([*told, "they are even" if abs(self.total) < EVEN * most else left])


@dataclass(frozen=True)
class _Push:
    """A part of a ledger line. force : N, lever : m from the centre of mass, torque : N m, all in craft axes."""

    title: str
    family: str
    force: Floats
    lever: Floats
    torque: Floats


def answers(run: Run, row: int) -> tuple[Answer, ...]:
    """The answers why it rolls, yaws and slows in the tick that ended at a row."""
    row = max(row, 1)
    numbers = run.own_row(row)
    pushes = _lines(run, row)
    axes = rotations.rotation(numbers[3:7])
    lean = math.degrees(math.asin(max(-1.0, min(1.0, float(axes[2, 1])))))
    rate = float(traces.values(run, "yaw_rate")[row])
    velocity = axes.T @ numbers[7:10]
    speed = float(np.linalg.norm(velocity))
    way = velocity / speed if speed > 1e-6 else np.array([1.0, 0.0, 0.0])
    gains = sum(float(push.force @ way) for push in pushes)
    mass = run.job.single.body.true_mass()
    leans = "right" if lean > 0.0 else "left"
    turns = "left" if rate > 0.0 else "right"
    return (
        _answer("roll", f"leans {show(abs(lean), '°')} to the {leans}", "N m", ("to the right", "to the left"),
                [(push, float(push.torque[0]), _height(push)) for push in pushes]),
        _answer("yaw", f"turns {turns} at {show(abs(rate), '°/s')}", "N m", ("to the right", "to the left"),
                [(push, -float(push.torque[2]), _ahead(push)) for push in pushes]),
        _answer("speed", f"{show(speed, 'm/s')}, {show(gains / mass / STANDARD_GRAVITY, 'g')}", "N",
                ("speeds it up", "slows it"), [(push, float(push.force @ way), "") for push in pushes]),
    )  # fmt: skip


def _answer(name: str, says: str, unit: str, ways: tuple[str, str], given: list[tuple[_Push, float, str]]) -> Answer:
    most = max((abs(amount) for _, amount, _ in given), default=0.0)
    told = [
        Reason(push.title, words, push.family, amount)
        for push, amount, words in given
        if abs(amount) > max(LEAST * most, 1e-6)
    ]
    told.sort(key=lambda reason: -abs(reason.amount))
    return Answer(name, says, unit, *ways, tuple(told), sum(amount for _, amount, _ in given))


def _height(push: _Push) -> str:
    """The side force of a push and how far below or above the centre of mass it acts."""
    side, high = float(push.force[1]), float(push.lever[2])
    if abs(side) < 1.0 or abs(high) < 1e-3:
        return ""
    where = "above" if high > 0.0 else "below"
    return f"{show(abs(side), 'N')} x {units.fixed(abs(high), 'm', 2)} {where} the centre of mass"


def _ahead(push: _Push) -> str:
    """The side force of a push and how far before or behind the centre of mass it acts."""
    side, ahead = float(push.force[1]), float(push.lever[0])
    if abs(side) < 1.0 or abs(ahead) < 1e-3:
        return ""
    where = "before" if ahead > 0.0 else "behind"
    return f"{show(abs(side), 'N')} x {units.fixed(abs(ahead), 'm', 2)} {where} the centre of mass"


def _lines(run: Run, row: int) -> list[_Push]:
    """Every line of the ledger as one push; that of tires by end and direction, and what is left of it. A tick pushes
    where the craft is at its start."""
    found, before, numbers = [], run.own_row(row - 1), run.own_row(row)
    axes = rotations.rotation(before[3:7])
    for line in ledger.ledger(run, row, craft_axes=False):
        force, torque = axes.T @ np.array(line.force), axes.T @ np.array(line.torque)
        part = next((one for one in run.job.single.parts if one.id == line.name), None)
        title = line.title.lower()
        if part is not None and part.SLIDES and bodynames.wheel_names(run.job.single, part):
            own = _tires(run, before, numbers, part)
            found += own
            force = force - np.sum([push.force for push in own], axis=0)
            torque = torque - np.sum([push.torque for push in own], axis=0)
            title = "wheels that spin up"
        found.append(_Push(title, line.family, force, np.zeros(3), torque))
    return found


def _tires(run: Run, before: Floats, numbers: Floats, part: Part) -> list[_Push]:
    """Forces of the tires of a part to the side and along, each end as one. before, numbers : the own rows of the craft
    at the start and the end of the tick."""
    axes, craft, place = rotations.rotation(before[3:7]), run.job.single, run.layout.own_place
    names, found = bodynames.ray_names(craft), []
    wheels = bodynames.wheel_names(craft, part)
    for end, at_end in zip(("front", "rear"), bodynames.front_and_rear(bodynames.wheels(craft)), strict=True):
        own = [names[one.ray] for one in at_end if names[one.ray] in wheels]
        for what, word in (("side", "sideways"), ("along", "along")):
            forces, levers = [], []
            for name in own:
                turn, at = float(numbers[place(f"{name}.steer")]), place(f"{name}.point.x")
                ahead = math.cos(turn) * axes[:, 0] + math.sin(turn) * axes[:, 1]
                ahead = np.array([ahead[0], ahead[1], 0.0]) / max(math.hypot(ahead[0], ahead[1]), 1e-9)
                way = ahead if what == "along" else np.array([-ahead[1], ahead[0], 0.0])
                forces.append(axes.T @ way * float(numbers[place(f"{name}.{what}")]))
                levers.append(axes.T @ (numbers[at : at + 3] - before[:3]))
            if forces:
                torque = np.sum(np.cross(levers, forces), axis=0)
                sizes = np.linalg.norm(forces, axis=1) + 1e-9
                lever = np.average(levers, axis=0, weights=sizes)
                title = f"{end} tires {word}"
                found.append(_Push(title, "grip", np.sum(forces, axis=0), lever, torque))
    return found
