"""The register of ties: a line in TIES. `docs/adding-a-row-kind.md` walks through an addition."""

import functools
import operator
from typing import TYPE_CHECKING, Annotated, Any

from pydantic import Discriminator, Tag

from oak_sled.core.yard.bogie import Bogie
from oak_sled.core.yard.coupling import Coupling
from oak_sled.core.yard.hinge import Cone, Fixed, Hinge, Latch, Slider
from oak_sled.core.yard.rope import Rope
from oak_sled.core.yard.tie import Tie

TIES: tuple[type[Tie], ...] = (Rope, Coupling, Hinge, Slider, Fixed, Cone, Latch, Bogie)
"""Every kind of tie."""


def _kind_of(given: Any) -> Any:
    """The kind of a tie; a rope where a file says none, as files did while there was no other."""
    return given.get("kind", "rope") if isinstance(given, dict) else getattr(given, "kind", None)


if TYPE_CHECKING:
    AnyTie = Any  # of some kind: what is common to all stands in `Tie`
else:
    AnyTie = Annotated[
        functools.reduce(operator.or_, (Annotated[one, Tag(one.model_fields["kind"].default)] for one in TIES)),
        Discriminator(_kind_of),
    ]
"""A tie of any kind, told apart by its `kind`."""
