"""Balance of what flies: the neutral point of its wings against its centre of mass, in closed form."""

from __future__ import annotations

from dataclasses import dataclass

from oak_sled.core.yard.craft import Craft


@dataclass(frozen=True)
class Balance:
    """neutral : m ahead of the origin, where a gust acts as lift alone. margin : m from there forward to the centre of
    mass of all; below 0 the craft turns over by itself. chord : m of its largest wing."""

    neutral: float
    margin: float
    chord: float

    @property
    def share(self) -> float:
        """The margin over the chord."""
        return self.margin / self.chord


def of(craft: Craft) -> Balance | None:
    """The balance of a craft; None where nothing of it lifts upward."""
    fitted = {part.id: part for part in craft.working_parts if craft.gain_of(part) > 0.0}
    lines = [line for part in fitted.values() if (line := part.lift_line(fitted)) is not None]
    whole = sum(stiff for stiff, _ in lines)
    if whole <= 0.0:
        return None
    neutral = sum(stiff * at for stiff, at in lines) / whole
    total, moment = craft.body.true_mass(), craft.body.true_mass() * craft.body.centre()[0]
    for part in fitted.values():
        carried = part.carried()
        if carried is not None:
            total, moment = total + carried.mass, moment + carried.mass * carried.at[0]
    chord = max((line[0], part.chord()) for part in fitted.values() if (line := part.lift_line(fitted)))[1]
    return Balance(neutral, moment / total - neutral, chord)
