"""The declaration of a kind of link, and the record of a link: see `links`, and `rope` for a kind."""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np

from oak_sled.core.base.arrays import Records
from oak_sled.core.compiler import types
from oak_sled.core.compiler.kernel import Address, Kernel, compiled
from oak_sled.core.compiler.types import FLOAT, INT, NOTHING, Record

ROOM, HOLDS, BROKEN, LOOSENED = range(4)
"""States of a link: a free record, one that holds, one that has broken and stays so, and one that was let go."""
OWN_NUMBERS = 240
"""Numbers of 8 bytes that a kind may keep in a link."""
SHOWN = 48
"""Numbers that a link may show in each tick."""
CHANNELS = 2
"""Channels that may drive a link."""
ALSO = 4
"""Bodies that a link may push beside those that it holds."""

_OWN = np.dtype([("numbers", "f8", (OWN_NUMBERS,))])  # all of them: what no field names is not copied
_FRONT = np.dtype(
    [
        ("state", "i8"),  # ROOM, HOLDS or BROKEN
        ("acts", "i8"),  # 1 where it acts in this tick
        ("watches", "i8"),  # 1 for one that others than its bodies may come upon, so that it is asked while these sleep
        ("a", "i8"),  # its bodies; a is one that may move
        ("b", "i8"),
        ("also", "i8", (ALSO,)),  # other bodies that it pushes in this tick; 0: none
        ("passes", "i8"),  # 1 where its bodies do not touch each other while it holds
        ("who", "i8"),  # the craft whose channels drive it
        ("channels", "i8", (CHANNELS,)),  # their numbers there; -1: none, and it drives as it is set
        ("drives", "f8", (CHANNELS,)),  # -1 to 1
        ("part", "i8"),  # of the craft `who`, that it belongs to; -1: of none
        ("given", "f8", (3,)),  # N s on a in this tick, where its kind counts it
        ("lever", "f8", (3,)),  # m from the centre of mass of a to where that acts
        ("gave", "f8", (2, 6)),  # m/s and rad/s that it gave a and b in this tick, where they are of a craft
        ("fall", "f8", (3,)),  # m/s2 of what of it falls
        ("island", "i8"),  # a body of the group that is solved together
        ("leads", "i8"),  # 1 for the first link of an island without contacts
        ("reach", "i8"),  # the addresses of what its kind does: see `LinkKind`
        ("prepare", "i8"),
        ("solve", "i8"),
        ("correct", "i8"),
        ("finish", "i8"),
        ("first_node", "i8"),  # of its nodes among those of the scene that stand in a row behind what it shows
        ("nodes", "i8"),  # how many they are
        ("shows", "i8"),  # how many of these numbers stand in a recorded row
        ("shown", "f8", (SHOWN,)),
    ]
)
_FIELDS: dict[str, Any] = dict(_FRONT.fields or {})
_LAID_OUT: Any = {
    "names": [*_FIELDS, "own"],
    "formats": [*(field[0] for field in _FIELDS.values()), _OWN],
    "offsets": [*(field[1] for field in _FIELDS.values()), _FRONT.itemsize],
    "itemsize": _FRONT.itemsize + 8 * OWN_NUMBERS,
}
LINK = np.dtype(_LAID_OUT)
"""A link: what every one has, and behind it, as `own`, the record of its kind."""

REACH = Address((None, Record(LINK), None, FLOAT), INT)
"""reach(own, link, scene, dt): 1 if the link can act in this tick, from the motion that forces gave its bodies."""
PREPARE = Address((None, Record(LINK), None, FLOAT), NOTHING)
"""prepare, finish(own, link, scene, dt)."""
SOLVE = Address((None, Record(LINK), None, FLOAT), FLOAT)
"""solve, correct(own, link, scene, dt): one round; the largest speed that it changed, m/s."""


class Shown(NamedTuple):
    """A number that a link shows in each tick, by its place in `link.shown`: name of its column, unit, title."""

    name: str
    unit: str
    title: str


class LinkKind(NamedTuple):
    """A kind of link: its record, and its units of (own, link, scene, dt).

    reach : whether it can act in this tick. prepare : directions and masses, before the rounds; it gives the first
    guess too. solve : one round, at velocity level. correct : one round of the shift of places. finish : after rounds,
    what it shows, and whether it breaks. shows : what it shows, at most SHOWN; the last is 1 once it is broken or
    let go. goes_on : (fresh, old), two records of the kind: takes over in Python what a run has changed in the old one,
    where it goes on with other settings. watches : see `LINK`.
    """

    name: str
    record: np.dtype[Any]
    reach: Kernel
    prepare: Kernel
    solve: Kernel
    correct: Kernel
    finish: Kernel
    shows: tuple[Shown, ...] = ()
    goes_on: Callable[[Any, Any], None] | None = None
    watches: bool = False


@compiled
def break_off(link):
    """A link breaks: it holds nothing any more, and shows that."""
    link.state, link.acts = BROKEN, 0
    link.shown[link.shows - 1] = 1.0


STAGES = (("reach", REACH), ("prepare", PREPARE), ("solve", SOLVE), ("correct", SOLVE), ("finish", PREPARE))


def fill(row: np.void, kind: LinkKind, bodies: tuple[int, int], own: dict[str, Any]) -> None:
    """Writes a link that holds into its record; its addresses come with `connect`. own : the fields of its kind."""
    row["state"], (row["a"], row["b"]), row["shows"] = HOLDS, bodies, len(kind.shows)
    row["channels"], row["drives"], row["part"], row["watches"] = -1, 1.0, -1, int(kind.watches)
    record = own_of(row, kind)
    for name, value in own.items():
        record[name] = value


def own_of(row: np.void, kind: LinkKind) -> np.void:
    """The record of the kind of a link, in its place."""
    if kind.record.itemsize > 8 * OWN_NUMBERS:
        raise ValueError(f"{kind.name} keeps {kind.record.itemsize // 8} numbers (at most {OWN_NUMBERS})")
    whole = np.dtype(
        {"names": ["own"], "formats": [kind.record], "offsets": [_FRONT.itemsize], "itemsize": LINK.itemsize}
    )
    found: np.void = row.view(whole)["own"]
    return found


def connect(row: np.void, kind: LinkKind, scene: Any) -> None:
    """Writes the addresses of the units of its kind into a link, compiled if need be. scene : the `Scene` it is in."""
    for name, address in _addresses(kind, types.of_value(scene)).items():
        row[name] = address


@functools.cache
def _addresses(kind: LinkKind, scene: types.Type) -> dict[str, int]:
    given = (Record(kind.record), Record(LINK), scene, FLOAT)
    return {name: getattr(kind, name).address(given) for name, _ in STAGES}


def room(count: int) -> Records:
    """Free records of links, shape (count,)."""
    return np.zeros(count, LINK)
