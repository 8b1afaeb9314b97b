"""Many calls of a kernel function in one call of compiled code."""

from __future__ import annotations

import numpy as np
import pytest

from oak_sled.core.base.faults import Refused
from oak_sled.core.compiler import plain
from oak_sled.core.compiler.kernel import compiled


@compiled
def blended(weights, share, places, shift):
    """A number of each kind comes in, and a float, an int and a truth go out."""
    total = 0.0
    for k in range(places.shape[0]):
        total += share * weights[places[k]]
        weights[places[k]] = total
    return total, places.shape[0] + shift, total > 1.0


def test_calls_in_one_give_what_each_gives_by_itself():
    rng = np.random.default_rng(5)
    given = [(rng.uniform(-1.0, 1.0, 9), rng.uniform(0.1, 2.0), rng.integers(0, 9, 3 + k), k - 2) for k in range(7)]
    alone = [(weights.copy(), share, places, shift) for weights, share, places, shift in given]
    expected = [blended(*one) for one in alone]
    prepared = [blended.prepared(*one) for one in given]
    assert blended.together(prepared) == expected
    for one, other in zip(given, alone, strict=True):
        assert np.array_equal(one[0], other[0]), "what it writes is written in order"
    with plain.python():
        again = blended.together([blended.prepared(one.copy(), *rest) for one, *rest in given])
    assert again == [blended(one.copy(), *rest) for one, *rest in given]
    assert blended.together([]) == []


def test_calls_with_arguments_of_different_types_are_refused():
    one = blended.prepared(np.ones(4), 1.0, np.arange(2), 0)
    other = blended.prepared(np.ones(4), 1, np.arange(2), 0)
    with pytest.raises(Refused, match="different types"):
        blended.together([one, other])
