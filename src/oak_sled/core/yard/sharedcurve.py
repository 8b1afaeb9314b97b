"""Curves that several parts of a craft share: one name, one set of points."""

from typing import Literal, Self

from pydantic import Field, model_validator

from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import Frozen, name_field


class CurvePoint(Frozen):
    """A point of a shared curve."""

    x: float = dial(
        0.0, "", "slip angle or angle of attack in degrees, slip ratio, or speed in m/s", low=-90.0, high=1e4
    )
    y: float = dial(0.0, "", "share, or coefficient of lift or drag", low=-10.0, high=10.0)


class SharedCurve(Frozen):
    """A curve of a craft; the parts that follow it name it."""

    id: str = name_field("the name by which parts refer to it")
    over: Literal["slip_deg", "slip", "speed", "angle_deg"] = Field("speed", description="what it is a curve over")
    straight: bool = Field(False, description="straight lines between its points, in place of a smooth curve")
    points: tuple[CurvePoint, ...] = Field(min_length=2, max_length=64, description="its points")

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        xs = [point.x for point in self.points]
        if sorted(set(xs)) != xs:
            raise ValueError("points: x must rise from point to point (order the points by x)")
        return self

    @property
    def heading(self) -> str:
        """Display name."""
        return self.id.replace("_", " ")
