"""From the text of a formula to its steps, kept for each text: a run reads none twice."""

from __future__ import annotations

import functools
import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from oak_sled.core.base.arrays import Floats
from oak_sled.core.formulas import code, language, lawunits
from oak_sled.core.formulas.code import Code
from oak_sled.core.formulas.place import Place

RESERVED = frozenset((*language.FUNCTIONS, "table", "pi", "and", "or", "not"))
"""Names that a number of a craft cannot have, beside the quantities of the places."""


@dataclass(frozen=True)
class Written:
    """A formula with the numbers that it uses: what a part asks for values, and the kernel gets as a record."""

    place: Place
    code: Code
    numbers: Mapping[str, float]

    def value(self, *given: float) -> float:
        """Its value at quantities in the order of the place, from the kernel; may be inf or NaN."""
        return lawunits.evaluated(self.code, given, self.numbers)

    def over(self, xs: Floats) -> Floats:
        """Its value, as a run counts it, at each of many values of its only quantity, shape of `xs`."""
        found = lawunits.evaluated_over(self.code, xs, self.numbers)
        return np.where(np.isfinite(found), found, 0.0)

    def finite(self, *given: float) -> float:
        """The same as a run counts it: 0 where it is no finite number."""
        found = self.value(*given)
        return found if math.isfinite(found) else 0.0


@functools.lru_cache(maxsize=256)
def code_of(text: str, place: Place, units: tuple[tuple[str, str], ...]) -> Code:
    """The steps of a formula at a place; raises `FormulaError`. units : of the numbers of the craft, by name."""
    found = language.read(text, place.units, dict(units), place.gives, place.title)
    return code.code_of(found, place.names)
