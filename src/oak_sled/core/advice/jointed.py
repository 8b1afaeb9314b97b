"""The outlook of hinges and sliders: what their motors move and how soon, how their springs swing; cautions."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from oak_sled.core.assembly import bodynames, starts
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.units import show
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.swing import Swing
from oak_sled.core.results import rotations
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.hinge import Driven, Fixed, Hinge, Slider

ALONG = 0.99
"""Cosine from which on two axes count as one."""


@dataclass(frozen=True)
class Bulk:
    """A body as what holds it sees it: kg, its centre of mass, m, shape (3,), and its inertia about that, kg m2, shape
    (3, 3), in the axes in which its ties tell their places."""

    mass: float
    centre: Floats
    inertia: Floats

    @classmethod
    def of_block(cls, block: Block) -> Bulk:
        """That of a block: the box round it."""
        axes = rotations.rotation(np.array(block.attitude()))
        a, b, c = block.half_extents()
        own = block.mass / 3.0 * np.diag([b * b + c * c, a * a + c * c, a * a + b * b])
        return cls(block.mass, np.array(block.middle()) + axes @ np.array(block.centre()), axes @ own @ axes.T)

    @classmethod
    def of_body(cls, body: Body) -> Bulk:
        """That of a body of a craft."""
        origin, axes = starts.on_craft(body)
        return cls(body.true_mass(), origin + axes @ np.array(body.centre()), axes @ body.inertia_matrix() @ axes.T)


def of(ground: Ground, tie: Driven) -> tuple[str, ...]:
    """Lines about a hinge or a slider whose first body is a block, as if the other stood still."""
    block = next((one for one in ground.blocks if one.id == tie.one), None)
    return () if block is None else _told(Bulk.of_block(block), tie, ground)


def of_craft(craft: Craft, tie: Driven, ground: Ground) -> tuple[str, ...]:
    """Lines about a hinge or a slider between two bodies of a craft, as if the second stood still and level."""
    body = next((one for one in craft.bodies if one.id == tie.one), craft.body)
    return _told(Bulk.of_body(body), tie, ground)


def _told(block: Bulk, tie: Driven, ground: Ground) -> tuple[str, ...]:
    if not isinstance(tie, Hinge | Slider):
        return ()
    turns = isinstance(tie, Hinge)
    moved, asked = _moved(block, tie), _weight(ground, block, tie)
    unit = "kg m2" if turns else "kg"
    lines = [f"it moves {show(moved, unit)}"]
    if asked > 1e-6 * moved:
        lines[0] += f", whose weight asks up to {show(asked, 'N m' if turns else 'N')}"
    if tie.motor != "none":
        most, rate = _most(tie), abs(tie.motor_rate_deg if isinstance(tie, Hinge) else tie.motor_rate)
        size = math.radians(rate) if turns else rate
        left = most - asked
        soon = f"reaches {show(rate, '°/s' if turns else 'm/s')} in {show(moved * size / left, 's')} against it"
        lines.append(f"its motor {soon}" if left > 0.0 else "its motor cannot lift it everywhere")
    if tie.stiffness > 0.0:
        swing = Swing.of(tie.stiffness, tie.damping, moved)
        lines.append(f"on its spring it swings at {show(swing.rate / math.tau, 'Hz')}, {swing.words()}")
    return tuple(lines)


def _most(tie: Driven) -> float:
    """N m or N of the motor of a hinge or a slider."""
    return float(tie.motor_torque if isinstance(tie, Hinge) else getattr(tie, "motor_force", 0.0))


def _moved(block: Bulk, tie: Driven) -> float:
    """kg m2 about the axis of a hinge, or kg along that of a slider."""
    if not isinstance(tie, Hinge):
        return block.mass
    way = tie.way()
    away = np.linalg.norm(np.cross(way, block.centre - np.array(tie.begin)))
    return float(way @ block.inertia @ way + block.mass * away**2)


def _weight(ground: Ground, block: Bulk, tie: Driven) -> float:
    """N m about the axis of a hinge that the weight of its body asks at most, or N along that of a slider."""
    way, weight = tie.way(), block.mass * ground.gravity
    if not isinstance(tie, Hinge):
        return weight * abs(float(way[2]))
    away = float(np.linalg.norm(np.cross(way, block.centre - np.array(tie.begin))))
    return weight * away * math.hypot(float(way[0]), float(way[1]))


def cautions(job: Job) -> Iterator[Caution]:
    """The cautions of joints: motors that are too weak or fight each other, and loops of fixed joints."""
    ties = [one.tie for one in bodynames.ties_of(job)]
    driven = [one for one in ties if isinstance(one, Driven) and one.motor != "none"]
    bulks = [(tie, Bulk.of_block(one)) for tie in driven for one in job.ground.blocks if one.id == tie.one]
    bodies = {one.id: one for one in job.craft.bodies}
    for tie in job.craft.ties:
        if isinstance(tie, Driven) and tie.motor != "none":
            bulks.append((tie, Bulk.of_body(bodies.get(tie.one, job.craft.body))))
    for tie, block in bulks:
        if isinstance(tie, Hinge | Slider):
            asked, unit = _weight(job.ground, block, tie), "N m" if isinstance(tie, Hinge) else "N"
            if _most(tie) < asked:
                yield Caution(
                    "motor_too_weak",
                    "",
                    f"{tie.heading}: the weight of {tie.one.replace('_', ' ')} asks up to {show(asked, unit)}, "
                    f"its motor gives {show(_most(tie), unit)}",
                    f"{show(asked, unit)} or more, or a counterweight",
                )
    for place, one in enumerate(driven):
        for other in driven[place + 1 :]:
            same = {one.one, one.other} == {other.one, other.other} and type(one) is type(other)
            if same and abs(float(one.way() @ other.way())) > ALONG:
                yield Caution(
                    "motors_fight",
                    "",
                    f"{one.heading} and {other.heading} drive the same two bodies about one axis",
                    "one motor, the other joint without",
                )
    loop = _loop([one for one in ties if isinstance(one, Fixed)])
    if loop:
        yield Caution(
            "loop_of_fixed_joints",
            "",
            f"{', '.join(loop)} close a loop: it is solved, but what each of them bears is not decided",
            "one of them less",
        )


def _loop(fixed: list[Fixed]) -> list[str]:
    """The fixed joints up to the one that closes a loop; empty where none does."""
    roots: dict[str, str] = {}

    def root(name: str) -> str:
        while roots.get(name, name) != name:
            name = roots[name]
        return name

    for place, one in enumerate(fixed):
        a, b = root(one.one), root(one.other)
        if a == b:
            return [each.heading for each in fixed[: place + 1]]
        roots[a] = b
    return []
