"""The numbers of a rail on the Ground page, and those of its knot that is selected."""

from __future__ import annotations

from oak_sled.core.base.dial import dials
from oak_sled.core.base.faults import Refused
from oak_sled.core.project import railing
from oak_sled.core.yard.rail import Rail, RailKnot
from oak_sled.desk.drawing.numberpanel import NumberPanel
from oak_sled.desk.ground.groundplan import GroundPlan
from oak_sled.desk.work.session import Session


class RailNumbers:
    """Fills the panel of numbers for the selected rail; puts knots in and takes them out, each one step of history."""

    def __init__(self, session: Session, plan: GroundPlan, numbers: NumberPanel):
        self.session, self.plan, self.numbers = session, plan, numbers

    def fill(self, path: str, rail: Rail) -> None:
        """The numbers of a rail at a path of the yard."""
        others = tuple(one.id for one in self.session.ground.rails if one.id != rail.id)
        if others and not rail.closed:
            for end, word in (("start", "first"), ("end", "last")):
                says = f"the rail that its {word} knot lies on: there is a switch there"
                self.numbers.add_choice(path, f"{end}_joins", ("", *others), says, "no rail")
                if rail.joins[("start", "end").index(end)]:
                    says = "whether the switch there leads onto this rail at the start of a drill"
                    self.numbers.add_choice(path, f"{end}_set", (True, False), says)
        self.numbers.add_dials(rail, path, lambda name: rail.lies == "level")
        number, count = self.plan.knot, len(rail.knots)
        self.numbers.add_label(f"knot {number + 1} of {count}")
        knot = rail.knots[number]
        below = f"{path}.knots.{number}"
        self.numbers.add_choice(path, f"knots.{number}.tangent", ("smooth", "set"), "its direction there")
        unused = {"heading_deg"} if knot.tangent != "set" else set()
        unused |= {"z"} if rail.lies == "level" else set()
        for declared in dials(knot):
            if declared.name not in unused:
                name = f"knots.{number}.{declared.name}"
                self.numbers.add_dial(declared, getattr(knot, declared.name), f"{below}.{declared.name}", name)
        self.numbers.add_button("next knot", "select the next one", lambda: self.plan.take_knot((number + 1) % count))
        tip = "one more knot behind this one (or a double click on the rail)"
        self.numbers.add_button("add a knot", tip, self.add_knot)
        if count > 2:
            self.numbers.add_button("remove this knot", "the rail runs on without it", self.remove_knot)

    def _held(self) -> tuple[str, Rail] | None:
        """The path of the selected rail, and that."""
        held = self.plan.in_hand()
        if not held or not isinstance(held[-1][1], Rail):
            return None
        return f"grounds.{self.session.yard.bench.ground}.{held[-1][0]}", held[-1][1]

    def cut_in(self, x: float, y: float) -> None:
        """One more knot of the selected rail, where it passes a place, m."""
        held = self._held()
        if held is None:
            return
        try:
            rail, number = railing.cut_in(self.session.ground, held[1].id, x, y)
        except Refused as refused:
            self.session.say(str(refused.faults[0]), True)
            return
        self._take(held[0], rail.knots, number, "add a knot")

    def add_knot(self) -> None:
        """One more knot of the selected rail: half way to the next one, or as far past its end."""
        held = self._held()
        if held is None:
            return
        knots, number = held[1].knots, self.plan.knot
        here = knots[number]
        share, other = 0.5, knots[(number + 1) % len(knots)]
        if number + 1 == len(knots) and not held[1].closed:
            share, other = -1.0, knots[number - 1]
        x, y, z = (
            round(getattr(here, axis) + share * (getattr(other, axis) - getattr(here, axis)), 2) for axis in "xyz"
        )
        new = here.replace(x=x, y=y, z=z, tangent="smooth")
        self._take(held[0], (*knots[: number + 1], new, *knots[number + 1 :]), number + 1, "add a knot")

    def remove_knot(self) -> None:
        """Takes the selected knot out of the selected rail."""
        held = self._held()
        if held is not None:
            knots, number = held[1].knots, self.plan.knot
            self._take(held[0], (*knots[:number], *knots[number + 1 :]), max(number - 1, 0), "remove a knot")

    def _take(self, path: str, knots: tuple[RailKnot, ...], number: int, label: str) -> None:
        if self.session.edit(f"{path}.knots", knots, label):
            self.plan.take_knot(number)
