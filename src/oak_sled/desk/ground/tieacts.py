"""Ties, ball joints and trains, placed by hand on the Ground page."""

from __future__ import annotations

import math
from functools import partial

import numpy as np
from PyQt6.QtWidgets import QMenu

from oak_sled.core.base.faults import Refused
from oak_sled.core.project import trains
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.bogie import Bogie
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.joint import Joint
from oak_sled.core.yard.naming import free_name
from oak_sled.core.yard.tie import Stretched, Tie
from oak_sled.core.yard.ties import TIES
from oak_sled.desk.ground.groundplan import GroundPlan
from oak_sled.desk.work.session import Session

TRAINS = (
    ("2 cars, straight", 2, 0.0),
    ("4 cars, straight", 4, 0.0),
    ("8 cars, straight", 8, 0.0),
    ("4 cars, round a curve of 30 m to the left", 4, 30.0),
    ("4 cars, round a curve of 30 m to the right", 4, -30.0),
)
"""Trains of the menu: words, cars behind the first, radius in m."""
BEHIND = (1, 3, 8)
"""Cars of a train that the craft pulls."""
Point = tuple[float, float, float]


class TieActs:
    """Places ties on the ground that a plan shows. Each is one step of history."""

    def __init__(self, session: Session, plan: GroundPlan):
        self.session, self.plan = session, plan

    def fill(self, menu: QMenu) -> None:
        """Entries for a joint, for each kind of tie to a block, the world or the craft, and for trains."""
        says = "joint: a ball joint for the dynamic block that is selected, to a second one or the world"
        menu.addAction(says, self.add_joint)
        for kind in TIES:
            if kind is Bogie:
                continue  # it comes with a rail
            inner = _within(menu, f"{kind.TITLE}: from the dynamic block that is selected")
            inner.addAction("to a second one that is selected, or to the world", partial(self.add_tie, kind))
            inner.addAction("to the craft under test", partial(self.add_to_craft, kind))
        row = _within(menu, "train: cars like the dynamic block that is selected, aligned behind it and coupled")
        for count in BEHIND:
            cars = "the selected one" if count == 1 else f"{count} cars, the selected one and more like it,"
            says = f"{cars} behind the craft under test, coupled to it"
            row.addAction(says, partial(self.add_behind, count))
        for words, count, radius in TRAINS:
            row.addAction(words, partial(self.add_train, count, radius))

    def _two_blocks(self, what: str) -> tuple[Block, Block | None] | None:
        """The selected dynamic block, and the second one that is selected; None, and said, where there is none."""
        blocks = [item for _, item in self.plan.in_hand() if isinstance(item, Block)]
        loose = [block for block in blocks if block.moves == "free"]
        if not loose:
            self.session.say(f"a {what} holds a dynamic block: select it first, and then what it is tied to", True)
            return None
        return loose[0], next((block for block in blocks if block is not loose[0]), None)

    def add_tie(self, kind: type[Tie]) -> None:
        """Ties the selected dynamic block to the second one that is selected, or to the world."""
        two = self._two_blocks(kind.TITLE)
        if two is None:
            return
        one, other = two
        x, y, z = one.x, one.y, one.z + one.height
        above = 3.0 if issubclass(kind, Stretched) else 0.0  # a joint to the world stands where the block is
        end = (x, y, z + above) if other is None else (other.x, other.y, other.z + other.height)
        self._tie(kind, (one.id, (x, y, z)), ("" if other is None else other.id, end))

    def add_to_craft(self, kind: type[Tie]) -> None:
        """Ties the selected dynamic block to the craft, which leads it, as both stand at the start."""
        two = self._two_blocks(kind.TITLE)
        if two is None:
            return
        block, actor = two[0], self.session.job().actors[0]
        state, body = self.session.job().starts[0], actor.craft.body
        heading = math.radians(actor.start.heading_deg)
        ahead = (math.cos(heading), math.sin(heading))
        along = (block.x - state[0]) * ahead[0] + (block.y - state[1]) * ahead[1]
        far = math.copysign(0.5 * body.length, along)
        hitch = (float(state[0] + far * ahead[0]), float(state[1] + far * ahead[1]), float(state[2]))
        near = trains.end_of(block, 0.5 if along < 0.0 else -0.5)
        self._tie(kind, (actor.craft.id, hitch), (block.id, near))

    def _tie(self, kind: type[Tie], one: tuple[str, Point], other: tuple[str, Point]) -> None:
        ground = self.session.ground
        (name, at), (to, end) = one, other
        fields = {field: round(value, 2) for field, value in kind.between(at, end).items()}
        new = kind.model_validate({"id": free_name(kind.TITLE, ground.ties), "one": name, "other": to, **fields})
        change_ground(self.session, ground.replace(ties=(*ground.ties, new)), f"place {kind.TITLE}")
        self.plan.choose([f"ties.{new.id}"])

    def add_train(self, count: int, radius: float) -> None:
        """Lays so many cars behind the selected dynamic block, straight or on a curve of a radius, m, coupled."""
        two = self._two_blocks("train")
        if two is None:
            return
        try:
            laid = trains.lay(self.session.ground, two[0].id, count, radius=radius)
        except Refused as refused:
            self.session.say(str(refused.faults[0]), True)
            return
        change_ground(self.session, laid, f"lay a train of {count + 1}")
        self.plan.choose([f"blocks.{two[0].id}"])

    def add_behind(self, count: int) -> None:
        """Lays the selected dynamic block and more like it, so many in all, behind the craft and couples them to it."""
        two = self._two_blocks("train")
        if two is None:
            return
        job, lead = self.session.job(), two[0].id
        start = job.actors[0].start
        angle = math.radians(start.heading_deg)
        way = np.array([math.cos(angle), math.sin(angle), 0.0])
        ends = []
        for actor, state in zip(job.actors, job.starts, strict=True):
            if actor.lead == 0:
                body = actor.craft.body
                shift = body.middle()[0] - body.centre()[0] - body.half_extents()[0]
                ends.append((float(state[:3] @ way) + shift, actor.craft.id, state[:3] + shift * way))
        _, name, rear = min(ends, key=lambda one: one[0])
        x, y, z = rear.tolist()
        try:
            laid = trains.lay_behind(self.session.ground, lead, count, name, (x, y, z), start.heading_deg)
        except Refused as refused:
            self.session.say(str(refused.faults[0]), True)
            return
        change_ground(self.session, laid, f"lay a train of {count} behind {name}")
        self.plan.choose([f"ties.{laid.ties[-count].id}"])

    def add_joint(self) -> None:
        """Holds the selected dynamic block to the second one that is selected, or to the world."""
        ground, two = self.session.ground, self._two_blocks("joint")
        if two is None:
            return
        one, other = two
        x, y = (one.x, one.y) if other is None else (0.5 * (one.x + other.x), 0.5 * (one.y + other.y))
        new = Joint(
            id=free_name("joint", ground.joints), one=one.id, other="" if other is None else other.id,
            x=round(x, 2), y=round(y, 2), z=round(one.z + 0.5 * one.height, 2),
        )  # fmt: skip
        change_ground(self.session, ground.replace(joints=(*ground.joints, new)), "place joint")
        self.plan.choose([f"joints.{new.id}"])


def change_ground(session: Session, ground: Ground, label: str) -> None:
    """Puts a ground in the place of the one of its name, as one step of history."""
    yard = session.yard
    grounds = tuple(ground if old.id == ground.id else old for old in yard.grounds)
    session.change(yard.without(grounds=grounds), label)


def _within(menu: QMenu, words: str) -> QMenu:
    inner = menu.addMenu(words)
    assert inner is not None
    return inner
