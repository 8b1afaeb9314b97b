"""The command that says how a craft feels: which words fit it, and what speaks for each."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from oak_sled import __version__, terminal
from oak_sled.commands.shared import (
    CraftOption,
    DrillOption,
    SetOption,
    YardArgument,
    check_outputs,
    load_yard,
    prints,
    warm,
    with_sets,
    write_json,
)

AGAINST = 3
"""Bands that speak against a word, in a line of it."""


def complete_word(ctx: typer.Context, incomplete: str) -> list[tuple[str, str]]:
    """Words of feel that begin so."""
    from oak_sled.commands import shared
    from oak_sled.core.feel import words

    yard = shared._yard_of(ctx)
    every = words.BUILT_IN if yard is None else words.of(yard)
    return [(one.id, one.says) for one in every if one.id.startswith(incomplete)]


WishOption = Annotated[
    list[str] | None,
    typer.Option("--wish", help="word of feel (repeatable; default: every one)", autocompletion=complete_word),
]


@prints()
def character(
    yard: YardArgument,
    craft: CraftOption = "",
    drill: DrillOption = "",
    wish: WishOption = None,
    sets: SetOption = None,
    keep: Annotated[
        str, typer.Option(help="with --save: a new word of bands around what the craft shows now", metavar="WORD")
    ] = "",
    save: Annotated[str | None, typer.Option(help="write the yard with that word to this file")] = None,
    json_file: Annotated[str | None, typer.Option("--json", help="write it to this file; - for stdout")] = None,
) -> int:
    """Say which words of feel fit a craft, and why.

    With --wish, every band of the word: what the craft shows, and how far that speaks for it.
    """
    from oak_sled.core.base import disk
    from oak_sled.core.base.faults import refuse
    from oak_sled.core.feel import character as characters
    from oak_sled.core.feel import words
    from oak_sled.core.files import yard_json

    if bool(keep) != (save is not None):
        raise refuse("--keep", "and --save belong together", "both: a word, and the file to write")
    check_outputs(yard, {"--json": json_file, "--save": save})
    found = with_sets(load_yard(yard), sets)
    asked = [words.known(found, name) for name in wish or ()]
    warm()
    made = characters.of(found, craft, drill, asked)
    with terminal.words_beside(json_file):
        print("\n".join(_whole(made) if asked else _short(made)))
    if json_file is not None:
        write_json(told(made), json_file)
    if save is not None:
        disk.write_whole(Path(save), yard_json.encoded(words.kept(found, words.like(dict(made.values), keep))))
    return terminal.DONE


def _head(made: Any) -> str:
    """The channels by which the craft was probed, in a line."""
    from oak_sled.core.base import units

    roles = made.roles
    plays = [(roles.drive, "driven"), (roles.turn, "turned"), (roles.brake, "braked")]
    by = ", ".join(f"{how} by {name}" for name, how in plays if name) or "nothing drives or turns it"
    line = f"{made.craft}: {by}; own time {units.plain(made.own_time, 's', 3)}"
    if roles.drive:
        line += f"; {units.plain(made.top, 'm/s', 3)}, {units.plain(made.constant, 's', 3)} to 63 % of it"
    return line


def _short(made: Any) -> list[str]:
    """A line a word: how far it fits, and what speaks against it."""
    lines = [_head(made)]
    for one in made.words:
        score = "cannot tell" if one.score is None else f"{100.0 * one.score:.0f} %"
        against = ", ".join(_against(speaking) for speaking in one.against[:AGAINST])
        lines.append(f"{one.wish.id:<12} {score:>11}{'   against: ' if against else ''}{against}".rstrip())
    return lines


def _against(one: Any) -> str:
    from oak_sled.core.feel import telling

    said = telling.value_of(one.band, one.value)
    return f"{telling.title_of(one.band)} {said} (wanted {telling.wanted(one.band)})"


def _whole(made: Any) -> list[str]:
    """Every band of words."""
    from oak_sled.core.feel import telling

    lines = [_head(made)]
    for one in made.words:
        score = "cannot tell: too little of it is shown" if one.score is None else f"{100.0 * one.score:.0f} %"
        lines += ["", f"{one.wish.heading}: {score}. {one.wish.says}"]
        for speaking in one.speaking:
            band, shown = speaking.band, speaking.value is not None
            value = telling.value_of(band, speaking.value) if shown else "not shown"
            share = f"{100.0 * speaking.share:.0f} %" if shown else ""
            told = f"{value:>12}  {telling.wanted(band):<18} {share:>5}"
            lines.append(f"  {telling.title_of(band):<24} {told}  {band.why}".rstrip())
    return lines


def told(made: Any) -> dict[str, Any]:
    """The character for scripts."""
    from oak_sled.core.base import units
    from oak_sled.core.feel import quantities

    return {
        "version": __version__,
        "craft": made.craft,
        "channels": {"drive": made.roles.drive, "turn": made.roles.turn, "brake": made.roles.brake},
        "own_time": units.as_json(made.own_time, "s"),
        "quantities": {
            one.name: None if made.values[one.name] is None else units.as_json(made.values[one.name], one.unit)
            for one in quantities.QUANTITIES
        },
        "words": {
            one.wish.id: {
                "score": one.score,
                "shown": one.shown,
                "bands": {
                    speaking.band.name: {
                        "value": speaking.value, "low": speaking.band.low, "high": speaking.band.high,
                        "speaks": None if speaking.value is None else speaking.share,
                    }
                    for speaking in one.speaking
                },
            }
            for one in made.words
        },
    }  # fmt: skip
