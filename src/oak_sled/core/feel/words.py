"""The words of feel that come with the program, each a document of bands with the reason for each; those of a yard, and
new ones from a craft that felt right.

Bands are of what people notice, judged on the demo crafts; none is a standard. A yard that holds a word of the same
name has its own in its place.
"""

from __future__ import annotations

from oak_sled.core.base import document
from oak_sled.core.base.faults import close_match, refuse
from oak_sled.core.feel import quantities
from oak_sled.core.yard.wish import Band, Wish
from oak_sled.core.yard.yard import Yard


def _most(quantity: str, high: float, fade: float, why: str, weight: float = 1.0) -> Band:
    return Band(quantity=quantity, high=high, fade=fade, why=why, weight=weight)


def _least(quantity: str, low: float, fade: float, why: str, weight: float = 1.0) -> Band:
    return Band(quantity=quantity, low=low, fade=fade, why=why, weight=weight)


BUILT_IN = (
    Wish(
        id="crisp",
        says="does what it is told at once, and stops doing it as soon",
        bands=(
            _most("pick_up", 0.12, 0.25, "hands feel a delay from about a tenth of a second on"),
            _most("coasting", 1.2, 1.5, "released, it slows about as fast as it gathers speed"),
            _most("stopping", 0.5, 0.8, "a stop is over sooner than the start was"),
            _most("turn_in", 1.0, 2.0, "the turn is there within its own time", 2.0),
            _most("turn_stops", 0.8, 2.0, "let go, it goes straight", 2.0),
            _most("turn_overshoot", 15.0, 30.0, "it turns as fast as it will, and no faster first"),
            _most("swings", 0.5, 2.0, "a shove is answered once"),
        ),
    ),
    Wish(
        id="heavy",
        says="has weight: slow to gather speed, slow to lose it, and hard to turn aside",
        bands=(
            _most("push", 0.15, 0.25, "a large mass gathers speed slowly", 2.0),
            _least("pick_up", 0.25, 0.2, "force builds up; nothing heavy jumps"),
            _least("coasting", 2.0, 1.2, "what moves goes on moving"),
            _least("turn_in", 2.0, 1.5, "its turn builds up for two own times", 2.0),
            _most("turn_rate", 0.3, 0.3, "it never whips round"),
            _most("shove_turn", 8.0, 20.0, "a shove hardly turns it"),
        ),
    ),
    Wish(
        id="icy",
        says="its path lags behind its nose: it slides, and goes on sliding",
        bands=(
            _most("follows", 0.45, 0.35, "the nose turns, and the path turns less than half as far", 2.0),
            _least("turn_slip", 35.0, 25.0, "nose and motion part by a third of a right angle and more", 2.0),
            _least("coasting", 2.5, 1.5, "released, it slides on far longer than it took to get there"),
            _least("stopping", 0.7, 0.5, "brakes find little to hold"),
            _least("side_motion", 2.0, 1.8, "motion aside stays for a while", 0.5),
        ),
    ),
    Wish(
        id="floaty",
        says="hangs in what it does: drifts on, turns on, and settles late",
        bands=(
            _least("coasting", 2.0, 1.2, "it drifts on when released"),
            _least("turn_stops", 2.0, 1.5, "let go, it goes on turning", 2.0),
            _least("turn_back", 2.5, 1.5, "the other way comes late"),
            _least("side_motion", 3.0, 2.5, "motion aside fades slowly", 2.0),
            _most("push", 0.4, 0.4, "gentle, whatever is pressed"),
            _least("settling", 2.5, 2.0, "it comes down softly", 0.5),
        ),
    ),
    Wish(
        id="planted",
        says="sits on the ground: goes where its nose points, flat, whatever pushes it",
        bands=(
            _most("turn_slip", 8.0, 20.0, "nose and motion hardly part", 2.0),
            _least("follows", 0.85, 0.4, "the path turns with the nose", 2.0),
            _most("lean", 4.0, 10.0, "it stays flat"),
            _most("side_motion", 0.8, 2.0, "a shove aside is held at once"),
            _most("shove_turn", 15.0, 40.0, "a shove hardly turns it"),
            _most("bounces", 1.0, 2.0, "it stays down", 0.5),
        ),
    ),
    Wish(
        id="forgiving",
        says="comes back by itself: no spin, no roll-over, no long fight after a mistake",
        bands=(
            _most("upsets", 5.0, 45.0, "full steering neither spins it nor lays it on its side", 3.0),
            _most("regained", 3.0, 6.0, "after a shove it goes straight again by itself", 2.0),
            _most("shove_turn", 30.0, 60.0, "a shove does not turn it away"),
            _most("swings", 1.0, 2.0, "it does not swing from side to side"),
            _most("turn_overshoot", 35.0, 60.0, "it turns no faster than it will go on turning"),
            _least("speed_kept", 0.75, 0.4, "wild steering costs little speed"),
        ),
    ),
    Wish(
        id="twitchy",
        says="overanswers: the least input turns it, and then it swings",
        bands=(
            _most("turn_in", 0.7, 1.0, "it turns before it was meant"),
            _least("turn_rate", 0.9, 0.5, "it turns far for a little", 2.0),
            _least("turn_overshoot", 25.0, 25.0, "it turns past what it will keep", 2.0),
            _most("pick_up", 0.12, 0.2, "the push is there at once"),
            _least("swings", 1.0, 1.0, "a shove sets it swinging", 0.5),
        ),
    ),
    Wish(
        id="springy",
        says="swings before it settles: bounces, nods, and comes back",
        bands=(
            _least("bounces", 2.0, 1.5, "dropped, it rises again and again", 2.0),
            _least("settling", 3.0, 2.0, "it takes its time to lie still", 2.0),
            _least("swings", 2.0, 1.5, "a shove swings it to and fro"),
            _least("turn_overshoot", 25.0, 25.0, "the turn springs past where it ends", 0.5),
        ),
    ),
    Wish(
        id="snappy",
        says="jumps to it: hard push, quick turns, short stops",
        bands=(
            _least("push", 0.5, 0.35, "it is pressed into the back", 2.0),
            _most("pick_up", 0.1, 0.15, "at once", 2.0),
            _most("turn_in", 0.8, 1.5, "the turn is there before the thought"),
            _most("turn_back", 1.5, 2.0, "and so is the one the other way"),
            _most("stopping", 0.5, 0.8, "it stops in half of the time that it took to start"),
        ),
    ),
    Wish(
        id="lazy",
        says="takes its time: a soft start, slow turns, no hurry back",
        bands=(
            _most("push", 0.12, 0.2, "a soft push", 2.0),
            _least("pick_up", 0.3, 0.2, "that comes late"),
            _most("turn_rate", 0.25, 0.25, "slow turns", 2.0),
            _least("turn_in", 2.0, 1.5, "that build up slowly"),
            _least("turn_back", 3.0, 2.0, "and turn back slower"),
        ),
    ),
)
"""The words that come with the program."""


def of(yard: Yard) -> tuple[Wish, ...]:
    """Every word that a yard knows: the built-in ones, or its own of the same name, and then its own."""
    own = {wish.id: wish for wish in yard.wishes}
    found = [own.pop(wish.id, wish) for wish in BUILT_IN]
    return (*found, *own.values())


def known(yard: Yard, name: str) -> Wish:
    """The word of that name; raises `Refused` for an unknown one."""
    every = {wish.id: wish for wish in of(yard)}
    if name not in every:
        raise refuse("wish", f"there is no word {name!r}", close_match(name, every))
    return every[name]


def kept(yard: Yard, wish: Wish) -> Yard:
    """The yard with a word of its own, in the place of one of the same name."""
    others = tuple(one for one in yard.wishes if one.id != wish.id)
    return yard.edit("wishes", (*others, wish) if len(others) == len(yard.wishes) else _placed(yard, wish))


def _placed(yard: Yard, wish: Wish) -> tuple[Wish, ...]:
    return tuple(wish if one.id == wish.id else one for one in yard.wishes)


def like(values: dict[str, float | None], name: str, title: str = "") -> Wish:
    """A word of bands around what a craft shows, half of what is felt to either side. values : by quantity, as
    `quantities.read_all` gives them."""
    bands = []
    for quantity in quantities.QUANTITIES:
        value = values.get(quantity.name)
        if value is None:
            continue
        half = 0.5 * quantity.size
        low = value - half if value > quantity.least + half else None
        bands.append(
            Band(
                quantity=quantity.name, low=low if low is None else float(f"{low:.3g}"),
                high=float(f"{value + half:.3g}"), fade=2.0 * quantity.size, why="as the craft that felt right",
            )
        )  # fmt: skip
    if not bands:
        raise refuse("wish", "the craft shows no quantity", "a craft that is driven, turned, shoved or dropped")
    fields = {"id": name, "title": title, "says": "like the craft that felt right", "bands": bands}
    made: Wish = document.checked(Wish, fields, "wish", None)
    return made
