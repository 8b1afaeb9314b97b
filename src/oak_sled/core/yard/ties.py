"""The register of ties: a line in TIES. `docs/adding-a-row-kind.md` walks through an addition."""

import functools
import operator
from typing import TYPE_CHECKING, Annotated, Any

from pydantic import Field

from oak_sled.core.yard.rope import Rope
from oak_sled.core.yard.tie import Tie

TIES: tuple[type[Tie], ...] = (Rope,)
"""Every kind of tie."""

if TYPE_CHECKING:
    AnyTie = Any  # of some kind: what is common to all stands in `Tie`
elif len(TIES) > 1:
    AnyTie = Annotated[functools.reduce(operator.or_, TIES), Field(discriminator="kind")]
else:
    AnyTie = TIES[0]
"""A tie of any kind, told apart by its `kind`."""
