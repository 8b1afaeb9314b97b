"""The character of a craft: what its probes show, and how far each word of feel fits it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from oak_sled.core.assembly.jobs import job_of
from oak_sled.core.feel import probes, quantities, roles, words
from oak_sled.core.feel.probes import Probed, Runner
from oak_sled.core.feel.roles import Roles
from oak_sled.core.results import measures, run
from oak_sled.core.yard.wish import Band, Wish
from oak_sled.core.yard.yard import Yard

ENOUGH = 0.5
"""Share of the weight of a word that must be shown for it to be told at all."""


@dataclass(frozen=True)
class Speaking:
    """A band of a word, what the craft shows of it, and how far that speaks for the word, 0 to 1."""

    band: Band
    value: float | None
    share: float


@dataclass(frozen=True)
class Fitting:
    """The fit of a word to a craft. score : 0 to 1, None where too little of it is shown. shown : share of its weight
    that is. speaking : its bands."""

    wish: Wish
    score: float | None
    shown: float
    speaking: tuple[Speaking, ...]

    @property
    def against(self) -> tuple[Speaking, ...]:
        """The bands that speak against the word, the heaviest loss first."""
        shown = [one for one in self.speaking if one.value is not None and one.share < 1.0]
        return tuple(sorted(shown, key=lambda one: -(1.0 - one.share) * one.band.weight))


@dataclass(frozen=True)
class Character:
    """All that a craft shows, and which words fit it. values : by quantity, or "DRILL.MEASURE"; None where one is not
    shown. top : m/s that its drive gives. constant : s to 63 % of that. own_time : s, see `Probed`."""

    craft: str
    values: Mapping[str, float | None]
    words: tuple[Fitting, ...]
    top: float
    constant: float
    own_time: float
    roles: Roles

    def fitting(self, word: str) -> Fitting:
        """The fit of one word."""
        return next(one for one in self.words if one.wish.id == word)

    @property
    def best(self) -> tuple[Fitting, ...]:
        """The words that are told, the best first."""
        told = [one for one in self.words if one.score is not None]
        return tuple(sorted(told, key=lambda one: -(one.score or 0.0)))


def fitting(wish: Wish, values: Mapping[str, float | None]) -> Fitting:
    """The fit of a word to what was shown. values : by the names of its bands."""
    speaking = tuple(Speaking(band, values.get(band.name), band.speaks(values.get(band.name))) for band in wish.bands)
    whole = sum(band.weight for band in wish.bands)
    shown = sum(one.band.weight for one in speaking if one.value is not None)
    spoken = sum(one.share * one.band.weight for one in speaking if one.value is not None)
    share = shown / whole
    return Fitting(wish, spoken / shown if share >= ENOUGH else None, share, speaking)


def of(
    yard: Yard,
    craft: str = "",
    drill: str = "",
    wishes: Sequence[Wish] = (),
    known: Roles | None = None,
    runner: Runner = run.execute,
) -> Character:
    """The character of a craft on the bare ground of a drill; without names, of those on the bench.

    wishes : the words; none: every word that the yard knows. known : the roles of its channels, where they were found
    before. runner : does a run of a job. Raises `Refused` for names that are not there.
    """
    asked = tuple(wishes) or words.of(yard)
    for wish in asked:
        check(yard, wish)
    chosen = yard.drill(drill or yard.bench.drill)
    name = craft or yard.craft_for(chosen)
    found = known.with_craft(yard.craft(name)) if known is not None else roles.find(yard, name, chosen.id)
    probed = probes.probe(found, runner)
    values = {**quantities.read_all(probed), **_of_drills(yard, name, asked, runner)}
    return told(probed, values, asked)


def told(probed: Probed, values: Mapping[str, float | None], wishes: Sequence[Wish]) -> Character:
    """The character that probes and values make."""
    fits = tuple(fitting(wish, values) for wish in wishes)
    return Character(probed.roles.craft.id, values, fits, probed.top, probed.constant, probed.own_time, probed.roles)


def check(yard: Yard, wish: Wish) -> None:
    """Raises `Refused` where a word asks for a quantity, a drill or a measure that is not there."""
    for band in wish.bands:
        if band.drill:
            yard.drill(band.drill)
            measures.measure(band.quantity, [one.id for one in yard.crafts])
        else:
            quantities.known(band.quantity)


def _of_drills(yard: Yard, craft: str, wishes: Sequence[Wish], runner: Runner) -> dict[str, float | None]:
    """Measures of drills of the yard that words ask for, by DRILL.MEASURE."""
    asked: dict[str, set[str]] = {}
    for wish in wishes:
        for band in wish.bands:
            if band.drill:
                asked.setdefault(band.drill, set()).add(band.quantity)
    found: dict[str, float | None] = {}
    for drill, names in asked.items():
        chosen = yard.drill(drill)
        read = measures.Readings(runner(job_of(yard, chosen, "" if chosen.cast else craft)))
        for name in names:
            found[f"{drill}.{name}"] = read[measures.asked_of(chosen, name)]
    return found
