"""The document of a word of feel: bands in which quantities of a craft should lie, each with its reason."""

from typing import Self

from pydantic import Field, model_validator

from oak_sled.core.base.document import Frozen, name_field

MOST_BANDS = 40


class Band(Frozen):
    """The band of a quantity. Inside it speaks for the word in full; beyond an end it fades out over `fade`."""

    quantity: str = Field(
        max_length=60, description="a quantity of the probing drills, or, where a drill is named, a measure of it"
    )
    drill: str = Field("", max_length=60, description="a drill of the yard whose measure it is; empty: probing drills")
    low: float | None = Field(
        None, allow_inf_nan=False, description="least value that speaks for the word in full; none: no matter how low"
    )
    high: float | None = Field(None, allow_inf_nan=False, description="greatest value that does")
    fade: float = Field(
        1.0, ge=1e-9, le=1e9, allow_inf_nan=False, description="by how much beyond an end it speaks no more for it"
    )
    weight: float = Field(
        1.0, ge=0.0, le=100.0, allow_inf_nan=False, description="how much it counts beside the other bands"
    )
    why: str = Field("", max_length=300, description="the reason, for whoever reads it")

    @model_validator(mode="after")
    def _bounded(self) -> Self:
        if self.low is None and self.high is None:
            raise ValueError("has neither low nor high (at least one of them)")
        if self.low is not None and self.high is not None and self.low > self.high:
            raise ValueError(f"low: {self.low:g} is above high, {self.high:g} (the least first)")
        return self

    @property
    def name(self) -> str:
        """The quantity, with its drill where it is a measure of one: "turn_in", "slalom.top_speed"."""
        return f"{self.drill}.{self.quantity}" if self.drill else self.quantity

    def off(self, value: float) -> float:
        """By how many times its fade a value lies beyond the band: 0 inside, below 0 under its low end."""
        if self.low is not None and value < self.low:
            return (value - self.low) / self.fade
        if self.high is not None and value > self.high:
            return (value - self.high) / self.fade
        return 0.0

    def speaks(self, value: float | None) -> float:
        """The share by which a value speaks for the word, 0 to 1; one that is not shown does not."""
        return 0.0 if value is None else max(0.0, 1.0 - abs(self.off(value)))


class Wish(Frozen):
    """A word of feel, such as "icy"."""

    id: str = name_field("the word")
    title: str = Field("", max_length=60, description="display name")
    says: str = Field("", max_length=300, description="what it means, in a sentence")
    bands: tuple[Band, ...] = Field(min_length=1, max_length=MOST_BANDS, description="what makes it")

    @model_validator(mode="after")
    def _once(self) -> Self:
        names = [band.name for band in self.bands]
        for name in names:
            if names.count(name) > 1:
                raise ValueError(f"bands: {name!r} has two bands (one a quantity)")
        if not any(band.weight > 0.0 for band in self.bands):
            raise ValueError("bands: none of them has a weight (one above 0)")
        return self

    @property
    def heading(self) -> str:
        """Display name."""
        return self.title or self.id.replace("_", " ")
