"""What the machine code is spared: calls of the C library, and memory read twice; and how arrays get to it."""

from __future__ import annotations

import numpy as np
import pytest

from oak_sled.core.compiler import entry, llvm, machine
from oak_sled.core.compiler.kernel import PROGRAM, compiled
from oak_sled.core.compiler.types import FLOAT, INT, Array, Record

INNER = np.dtype([("height", "f8")])
OUTER = np.dtype([("own", INNER), ("more", INNER, 2)])
OTHER = np.dtype([("count", "i8")])


@compiled
def cleared(lines, from_there, count):
    """Clears a few numbers, and copies a few."""
    for k in range(count):
        lines[0, k] = 0.0
    for k in range(count):
        lines[1, k] = from_there[k]


def test_a_few_numbers_are_cleared_and_copied_without_a_call():
    lines, given = np.ones((2, 6)), np.arange(6.0)
    cleared(lines, given, 6)
    assert np.array_equal(lines, [[0.0] * 6, given])
    text = PROGRAM.text_of(PROGRAM.read(cleared, tuple(entry.type_of(one) for one in (lines, given, 6))))
    called = [name for name in (b"memset", b"memcpy") if name in machine.compile_text(text)]
    assert not called
    with_calls = machine.compile_text(text.replace(llvm.PLAIN, "nounwind"))
    assert b"memset" in with_calls, "the test would not see a call"


@pytest.mark.parametrize(
    ("others", "alone"),
    [
        ([Record(OTHER)], True),
        ([Array(Record(OTHER), (None,)), FLOAT, INT, Array(FLOAT, (None,))], True),
        ([Record(INNER)], False),
        ([Array(Record(INNER), (None,))], False),
        ([Array(Record(OUTER), (None,))], False),
        ([Record(np.dtype([("deep", OUTER)]))], False),
    ],
)
def test_a_record_stands_alone_where_no_other_can_hold_it(others, alone):
    given = [("it", Record(INNER)), *((f"other_{k}", one) for k, one in enumerate(others))]
    assert llvm._stands_alone(Record(INNER), given) is alone


def test_a_record_that_holds_another_does_not_stand_alone_either():
    assert not llvm._stands_alone(Record(OUTER), [("it", Record(OUTER)), ("within", Record(INNER))])


RECORDS = np.zeros((2, 3), OUTER)
VALUES = [
    np.zeros(0), np.zeros((3, 4)), np.zeros((3, 4))[1:], np.arange(5)[::1], np.ones(1, np.int64), RECORDS, RECORDS[1],
    RECORDS[1, 2], RECORDS[0, 1]["own"], np.frombuffer(b"12345678" * 3, np.float64), np.zeros((2, 0, 3)),
]  # fmt: skip


@pytest.mark.parametrize("value", VALUES, ids=[str(k) for k in range(len(VALUES))])
def test_where_numbers_lie_is_what_numpy_tells(value, monkeypatch):
    told = value.__array_interface__["data"][0]
    assert entry.address_of(value) == told
    monkeypatch.setattr(entry, "_IN_ARRAY", -1)
    monkeypatch.setattr(entry, "_IN_RECORD", -1)
    assert entry.address_of(value) == told


def test_an_address_that_is_in_no_known_place_is_not_guessed():
    class Strange(np.ndarray):
        __array_interface__ = {"data": (12345, False)}  # noqa: RUF012

    assert entry._place_in((np.zeros(3), np.zeros(2).view(Strange))) == -1
