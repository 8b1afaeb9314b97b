"""A law of a part over many quantities at once, for whoever draws it."""

from __future__ import annotations

from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.parts.register import OF_LAW


@compiled
def over(law, own, given, out):
    """The value of a law for every row of quantities. law : its address. own : the record of the part.

    given : shape (n, MOST_GIVEN), in the order of its place. out : shape (n,).
    """
    for k in range(out.shape[0]):
        out[k] = OF_LAW(law, own, given[k])
