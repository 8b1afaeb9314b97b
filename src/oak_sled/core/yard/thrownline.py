"""A tie that a part of a craft makes: the line that it throws."""

from typing import Any, ClassVar

from pydantic import Field

from oak_sled.core.contact import hook, wrapped
from oak_sled.core.contact.linkkind import LinkKind
from oak_sled.core.parts.context import Thrown
from oak_sled.core.yard.tie import Tie


class ThrownLine(Tie):
    """The line of a part, as a tie: no file holds one, it is made from the part wherever ties are asked for.

    one : the craft that throws it.
    """

    thrown: Thrown = Field(description="what the part says of it")

    TITLE: ClassVar[str] = "line"
    ROWS: ClassVar[LinkKind] = wrapped.KIND
    LOAD: ClassVar[str] = "tension"
    SAGS: ClassVar[bool] = True

    def driven_by(self) -> tuple[str, ...]:
        return self.thrown.channels

    def limit(self) -> float:
        return self.thrown.limit

    def numbers(self, apart: float) -> dict[str, Any]:
        """The fields of its record but its ends."""
        return dict(self.thrown.numbers)

    def at_start(self, apart: float) -> dict[str, float]:
        return {"phase": float(hook.READY)}
