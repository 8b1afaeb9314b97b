"""The laws and curves of a part: the places where a formula may stand, and the numbers that do nothing as it is set."""

from collections.abc import Mapping, Sequence
from typing import Any, ClassVar, Self

from pydantic import PrivateAttr

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.document import Frozen
from oak_sled.core.formulas.parsed import Written
from oak_sled.core.formulas.place import Place
from oak_sled.core.parts.context import Setting
from oak_sled.core.parts.curvefield import CurveField

ActsIf = tuple[tuple[str, ...], str, tuple[Any, ...], str]
"""Names of numbers, the choice that decides, its values at which they act, and why they do not at others."""
MOUNT_ACTS: ActsIf = (("x", "y", "z"), "at_point", (True,), "it acts at the centre of mass")


class WithLaws(Frozen):
    """A document whose laws a formula may replace, and whose curves its open strip edits."""

    ACTS_IF: ClassVar[tuple[ActsIf, ...]] = ()
    """Numbers that act only while one of its choices has one of some values."""
    CURVE_FIELDS: ClassVar[tuple[CurveField, ...]] = ()
    """Its fields that are curves, each beside one that may name a shared curve of the craft in its place."""
    PLACES: ClassVar[tuple[Place, ...]] = ()
    """The laws of it that a formula may replace."""

    _laws: Mapping[str, Written] = PrivateAttr(default_factory=dict)

    def working(self, laws: Mapping[str, Written]) -> Self:
        """The part as it works on its craft: it can be asked what its formulas give. laws : by the name of a place."""
        if not laws:
            return self
        made = self.model_copy()
        made._laws = laws
        return made

    def formula_of(self, place: Place) -> Written | None:
        """The formula that stands at a place of it; None for the built-in law."""
        return self._laws.get(place.name)

    def alternatives(self, place: Place) -> list[tuple[str, dict[str, Any]]]:
        """The built-in laws that it may have at a place: what each is called, and the fields that set it."""
        return [("built-in", {place.field: ""})]

    def used(self, place: Place, run: Any) -> Mapping[str, Floats]:
        """Values that the quantities of a place took in a run, each of shape (rows, ...), NaN where the law did not
        act."""
        return {}

    def idle(self, setting: Setting | None = None) -> Mapping[str, str]:
        """The numbers of it that do nothing as it is set (and fitted, with a setting), and why."""
        found = {
            name: why
            for names, field, values, why in self.ACTS_IF
            if getattr(self, field) not in values
            for name in names
        }
        return found | {
            name: f"the formula {getattr(self, place.field)} takes its place"
            for place in self.PLACES
            if getattr(self, place.field)
            for name in place.replaces
        }

    def written_as(self, place: Place) -> str:
        """The built-in law of a place as a formula, with its numbers as they are: what a new formula begins with."""
        return "1"

    def held_at(self, place: Place, setting: Setting | None) -> Mapping[str, float]:
        """Quantities of a place that no run has told: those that its own settings fix, and, with a setting, what the
        others are in steady going."""
        return {}

    def drawn_over(self, place: Place, quantity: str, setting: Setting) -> tuple[float, float]:
        """From where to where a law is drawn over a quantity, SI."""
        return (0.0, 1.0)

    def curves(self) -> tuple[CurveField, ...]:
        """Its fields that are curves, those that act as it is set."""
        return self.CURVE_FIELDS

    def first_drawn(self) -> Mapping[str, Any]:
        """Its fields `drawn` and those of its curves, drawn as its numbers have it: what drawing begins with."""
        return {}

    def curve_reads(self, field: CurveField, run: Any, wheels: Sequence[str]) -> Floats | None:
        """The x at which a curve of it was read in a run, shape (rows,) or (rows, n); None where it is read by what its
        craft does as a whole. wheels : the names of the rays of its wheels with tires."""
        return None
