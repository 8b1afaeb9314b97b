"""Documents of formulas: laws that the user writes for a craft, and its named numbers, which are dials."""

from pydantic import Field, field_validator

from oak_sled.core.base import units
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field
from oak_sled.core.base.faults import Refused
from oak_sled.core.formulas.language import LONGEST


class Number(Frozen):
    """A number of a craft that its formulas may name; it is a dial like any other."""

    id: str = name_field("the name by which formulas refer to it")
    unit: str = Field("", max_length=30, description="unit, such as N/m; empty: none")
    value: float = dial(
        1.0, "", "its value", low=-1e12, high=1e12, slider=(0.0, 10.0), main=True, own_unit="unit", title="value"
    )
    least: float = Field(0.0, ge=-1e12, le=1e12, allow_inf_nan=False, description="where its dial begins")
    most: float = Field(10.0, ge=-1e12, le=1e12, allow_inf_nan=False, description="where its dial ends")

    @field_validator("unit")
    @classmethod
    def _known(cls, unit: str) -> str:
        try:
            units.parse_unit(unit)
        except Refused as refused:
            raise ValueError(f"{refused.faults[0].what} ({refused.faults[0].right})") from None
        return unit

    @property
    def sliders(self) -> dict[str, tuple[float, float]]:
        """The stretch that its dial covers."""
        return {"value": (self.least, max(self.most, self.least + 1e-9))}

    @property
    def si(self) -> float:
        """Its value in SI units."""
        return self.value * units.parse_unit(self.unit).factor


class Law(Frozen):
    """A formula for a law of a part; the parts that follow it name it."""

    id: str = name_field("the name by which parts refer to it")
    place: str = Field(max_length=40, description="the law that it can replace, such as pad_push")
    text: str = Field(max_length=LONGEST, description="the formula: docs/formulas.md")

    @property
    def heading(self) -> str:
        """Display name."""
        return self.id.replace("_", " ")
