"""Tank: fuel that rides with the craft and leaves it as it is burnt."""

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np

from oak_sled.core.base.dial import dial
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import unit
from oak_sled.core.kernel import body as body_module
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Family, Group, Kind, Part, Shown
from oak_sled.core.parts.context import Carried, Pack, Setting

LEAST = 1e-4
"""Share of a full tank that stays in it as its own mass: a body without any could not be held."""
RECORD = np.dtype([("joint", "i8"), ("fuel", "f8"), ("dry", "f8")])


class Tank(Part):
    """A body of its own that is held to its craft, as a payload is, so that mass, centre of mass and inertia follow.
    What is burnt leaves with the speed and the spin that it has there: the craft is neither pushed nor spun up by it.
    Several tanks give by what each still holds."""

    TITLE: ClassVar[str] = "Tank"
    EXPLAINS: ClassVar[str] = "fuel for what burns it: its mass goes as it is burnt, and empty is empty"
    FAMILY: ClassVar[Family] = "gravity"
    GROUP: ClassVar[Group] = "mass"
    SHOWS: ClassVar[Shown] = "up"
    EVENT: ClassVar[str] = "empty"
    EVENT_FROM: ClassVar[float] = 0.999

    kind: Literal["tank"] = "tank"
    fuel: float = dial(100.0, "kg", "at the start", low=0.01, high=1e6, slider=(1.0, 5000.0), scale="log", main=True)
    size: float = dial(0.5, "m", "its diameter", low=0.02, high=20.0, slider=(0.1, 3.0), title="diameter")
    x: float = dial(0.0, "m", "its middle, ahead of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    y: float = dial(0.0, "m", "its middle, left of the origin", low=-1e3, high=1e3, slider=(-3.0, 3.0))
    z: float = dial(0.0, "m", "its middle, above the origin", low=-1e3, high=1e3, slider=(-2.0, 2.0))

    def record(self, pack: Pack) -> dict[str, Any]:
        full = self.trim * self.fuel
        return {"joint": pack.joints.get(self.id, -1), "fuel": (1.0 - LEAST) * full, "dry": LEAST * full}

    def carried(self) -> Carried:
        return Carried(self.trim * self.fuel, self.size, (self.x, self.y, self.z))

    def holds_fuel(self) -> float:
        return self.trim * self.fuel

    def summary(self) -> str:
        return f"{show(self.fuel, 'kg')} of fuel"

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        share = self.trim * self.fuel / setting.mass
        moves = share * max((abs(a - b) for a, b in zip((self.x, self.y, self.z), setting.centre, strict=True)))
        first = f"{100.0 * share:.0f} % of the whole mass"
        if setting.burns > 0.0:
            first += f", all tanks last {show(setting.fuel / setting.burns, 's')} at full thrust"
        return (first, f"the centre of mass moves by {show(moves, 'm')} as it empties")

    def cautions(self, case: Case) -> Iterator[Caution]:
        if case.setting.burns <= 0.0:
            yield self.caution(
                "nothing_burns_it", "fuel", "no part of its craft burns fuel",
                "an exhaust speed of a jet, or a payload in its place",
            )  # fmt: skip
        if self.trim * self.fuel > 20.0 * (case.setting.mass - case.setting.fuel):
            yield self.caution(
                "payload_far_heavier", "fuel", "it is more than twenty times heavier than its craft",
                "less fuel, or a heavier craft",
            )  # fmt: skip


@unit
def act(part, gain, p, body, ground, supports, now):
    """Pushes nothing by itself: what holds it is booked with the contacts. Returns the share that is burnt."""
    return now.memory[p, 0] / part.fuel if part.fuel > 0.0 else 1.0


@unit
def act_on_others(crafts, parts, c, p, scene, shot_memory, nows):
    """Gives what was burnt in the last tick, and says what is left. memory : 0 kg that are burnt."""
    part, now = parts[crafts[c].first_part + p].tank, nows[c]
    left = part.fuel - now.memory[p, 0]
    if now.burnt > 0.0 and now.fuel_before > 0.0:
        left = max(left - now.dt * now.burnt * left / now.fuel_before, 0.0)
        if now.fuel_before <= now.dt * now.burnt:
            left = 0.0
        now.memory[p, 0] = part.fuel - left
        if part.joint >= 0:
            body_module.weigh_anew(scene.solids[scene.joints[part.joint].b], part.dry + left)
    now.fuel += left


KIND = Kind(Tank, RECORD, act=act, others=act_on_others)
