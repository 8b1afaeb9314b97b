"""The command that tunes dials of a craft towards words of feel and targets."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from oak_sled import __version__, terminal
from oak_sled.commands.feels import WishOption
from oak_sled.commands.shared import (
    CraftOption,
    SetOption,
    YardArgument,
    check_outputs,
    complete_dial,
    complete_drill,
    load_yard,
    prints,
    warm,
    with_sets,
    write_json,
)


@prints()
def tune(
    yard: YardArgument,
    drill: Annotated[
        list[str] | None,
        typer.Option(
            help="drill whose targets count (repeatable; default: the selected one, where no word is wished for)",
            autocompletion=complete_drill,
        ),
    ] = None,
    wish: WishOption = None,
    weight: Annotated[
        list[str] | None,
        typer.Option(help="weight of a word or of a drill (repeatable; default: 1)", metavar="NAME=WEIGHT"),
    ] = None,
    craft: CraftOption = "",
    dial: Annotated[
        list[str] | None,
        typer.Option(
            help="dial that may move (repeatable; default: every free one)",
            metavar="PATH",
            autocompletion=complete_dial,
        ),
    ] = None,
    lock: Annotated[
        list[str] | None,
        typer.Option(help="dial to leave as it is (repeatable)", metavar="PATH", autocompletion=complete_dial),
    ] = None,
    bound: Annotated[list[str] | None, typer.Option(help="bounds of a dial (repeatable)", metavar="PATH=LO:HI")] = None,
    scatter: Annotated[int, typer.Option(help="disturbed repeats of every try that count as well")] = 0,
    seed: Annotated[int, typer.Option(help="random seed of the search")] = 1,
    tries: Annotated[int, typer.Option(help="tries at most")] = 400,
    threads: Annotated[int, typer.Option(help="threads (default: one a core)")] = 0,
    explain: Annotated[
        bool, typer.Option(help="say also what each move bought, how few would do, and what fights")
    ] = True,
    sets: SetOption = None,
    save: Annotated[str | None, typer.Option(help="write the yard with the tuned numbers to this file")] = None,
    fewest: Annotated[bool, typer.Option("--fewest", help="save the fewest moves that meet as much")] = False,
    json_file: Annotated[str | None, typer.Option("--json", help="write it to this file; - for stdout")] = None,
) -> int:
    """Move dials until words and targets are met.

    Exit status 1 if something asked for is missed by the best that was found.
    """
    from oak_sled.core.base import disk
    from oak_sled.core.base.faults import refuse
    from oak_sled.core.feel import tune as tunes
    from oak_sled.core.files import yard_json
    from oak_sled.core.yard.spreads import Scatter

    check_outputs(yard, {"--json": json_file, "--save": save})
    found = with_sets(load_yard(yard), sets)
    _check_counts(scatter, seed, tries, threads)
    goal = _goal(found, wish or (), drill or (), weight or ())
    warm()
    if fewest and (save is None or not explain):
        raise refuse("--fewest", "says which numbers to save", "--save FILE beside it, and no --no-explain")
    made = tunes.tune(
        found, goal, craft, (drill or [""])[0], dial or (), lock or (), _bounds(found, bound or ()),
        Scatter(repeats=scatter, seed=seed), seed, tries, threads, _teller(),
    )  # fmt: skip
    if sys.stderr.isatty():
        print(file=sys.stderr)
    told = _explained(made) if explain else {}
    with terminal.words_beside(json_file):
        print("\n".join(_lines(made, told)))
    if json_file is not None:
        write_json(_data(made, told), json_file)
    if save is not None:
        few = _fewest(made, told.get("fewest", ()))
        chosen = made.yard if few is None or not fewest else found.edit_all([(m.path, m.value) for m in few.moves])
        disk.write_whole(Path(save), yard_json.encoded(chosen))
    return terminal.DONE if made.is_met else terminal.MISSED


def _check_counts(scatter: int, seed: int, tries: int, threads: int) -> None:
    from oak_sled.core.base.faults import refuse

    for name, value, least, most in (
        ("--scatter", scatter, 0, 50), ("--seed", seed, 0, 2**31 - 1), ("--tries", tries, 1, 100_000),
        ("--threads", threads, 0, 256),
    ):  # fmt: skip
        if not least <= value <= most:
            raise refuse(name, f"{value} is out of range", f"{least} to {most}")


def _goal(yard: Any, wishes: Any, drills: Any, weights: Any) -> Any:
    """The goal that is asked for; that of the drill on the bench where nothing is said."""
    from oak_sled.core.base.faults import close_match, refuse
    from oak_sled.core.feel import words
    from oak_sled.core.feel.goal import Goal

    drills = tuple(drills) or (() if wishes else (yard.bench.drill,))
    told: dict[str, float] = {}
    for entry in weights:
        name, equals, text = entry.partition("=")
        try:
            told[name.strip()] = float(text)
        except ValueError:
            equals = ""
        if not equals or not 0.0 <= told.get(name.strip(), -1.0) <= 1000.0:
            raise refuse(f"--weight {entry}", "is not NAME=WEIGHT", "such as icy=2, from 0 to 1000")
        if name.strip() not in (*wishes, *drills):
            raise refuse(f"--weight {entry}", "is of nothing asked for", close_match(name, [*wishes, *drills]))
    asked = tuple((words.known(yard, name), told.get(name, 1.0)) for name in wishes)
    counted = [(name, told.get(name, 1.0)) for name in drills if yard.drill(name).targets]
    if not asked and not counted:
        raise refuse("drill", f"{', '.join(drills)} has no targets", "a drill with targets, or a word with --wish")
    return Goal(asked, tuple(counted))


def _bounds(yard: Any, entries: Any) -> dict[str, tuple[float, float]]:
    from oak_sled.core.base import document
    from oak_sled.core.base.faults import refuse

    found = {}
    for entry in entries:
        path, _, text = entry.partition("=")
        ends = text.split(":")
        if len(ends) != 2 or not all(one.strip() for one in ends):
            raise refuse(f"--bound {entry}", "is not PATH=LO:HI", "such as crafts.fan_sled.parts.fan.thrust=400:900")
        low, high = (document.read_at(yard, path.strip(), one) for one in ends)
        found[path.strip()] = (low, high)
    return found


def _teller() -> Any:
    """Says how far it is, where someone looks."""

    def told(progress: Any) -> None:
        if sys.stderr.isatty():
            line = f"{progress.tries} tries, {progress.met} of {progress.terms} met, {progress.left:.3g} left"
            print(f"\r{line}: {progress.phase}      ", end="", file=sys.stderr, flush=True)

    return told


def _explained(made: Any) -> dict[str, Any]:
    """All that explains a tuning: what moves bought, how few would do, what fights, and which part would help."""
    from oak_sled.core.feel import explained

    found: dict[str, Any] = {"bought": explained.bought(made), "fewest": explained.fewest(made)}
    if not made.is_met:
        found["fights"] = explained.fights(made)
        found["parts"] = explained.parts_that_help(made)
    return found


def _shown(yard: Any, path: str, value: float) -> str:
    from oak_sled.core.base import units
    from oak_sled.core.study import variants

    return units.plain(variants.sign_of(yard, path) * value, variants.unit_of(yard, path), 4)


def _lines(made: Any, told: dict[str, Any]) -> list[str]:
    """The tuning in words."""
    from oak_sled.core.feel import goal as goals
    from oak_sled.core.feel import telling

    how = {"met": "all of it is met", "stalled": "no better is found", "tries": "the tries are used up"}[made.ended]
    lines = [f"{made.tries} tries: {how}", ""]
    for term, off in zip(made.terms, goals.misses(made.terms, made.values), strict=True):
        before, now = (values.get(term.band.name) for values in (made.before, made.values))
        was, shown = ("not shown" if one is None else telling.value_of(term.band, one) for one in (before, now))
        word = "met" if off <= 1e-9 else "missed"
        wanted = telling.wanted(term.band)
        lines.append(f"{word:<6}  {term.of + ': ' + term.title:<36} {was:>11} -> {shown:<11} wanted {wanted}")
    lines.append("")
    bought = {one.move.path: one for one in told.get("bought", ())}
    for move in made.moves:
        one = bought.get(move.path)
        lost = ", ".join(term.title for term in one.lost) if one is not None else ""
        line = f"{move.path:<44} {_shown(made.yard, move.path, move.before):>11} -> "
        line += f"{_shown(made.yard, move.path, move.value):<11}"
        lines.append((line + (f"  without it: {lost}" if lost else "")).rstrip())
    lines += _few(made, told.get("fewest", ()))
    for fight in told.get("fights", ())[:4]:
        lines.append(f"{fight.one.title} and {fight.other.title} cost each other ({fight.cosine:+.2f})")
    for part in told.get("parts", ())[:3]:
        lines.append(f"a {part.title.lower()} would help: {part.met} of {len(made.terms)} met with one")
    return lines


def _fewest(made: Any, fewest: Any) -> Any:
    """The fewest moves that do as well as all of them; None where nobody asked, or it takes all."""
    good = [one for one in fewest if (one.met == len(made.terms) if made.is_met else one.left <= 1.05 * made.left)]
    return good[-1] if good and len(good[-1].moves) < len(made.moves) else None


def _few(made: Any, fewest: Any) -> list[str]:
    few = _fewest(made, fewest)
    if few is None:
        return []
    told = ", ".join(f"{move.path} {_shown(made.yard, move.path, move.value)}" for move in few.moves)
    return [f"{len(few.moves)} of them do as well: {told or 'none at all'}"]


def _data(made: Any, told: dict[str, Any]) -> dict[str, Any]:
    """The tuning for scripts."""
    from oak_sled.core.base import units
    from oak_sled.core.feel import goal as goals
    from oak_sled.core.study import variants

    def number(path: str, value: float) -> Any:
        return units.as_json(value, variants.unit_of(made.yard, path))

    found: dict[str, Any] = {
        "version": __version__,
        "craft": made.craft,
        "ended": made.ended,
        "met": made.is_met,
        "tries": made.tries,
        "left": {"before": made.left_before, "after": made.left},
        "terms": [
            {
                "of": term.of, "quantity": term.band.name, "low": term.band.low, "high": term.band.high,
                "before": made.before.get(term.band.name), "after": made.values.get(term.band.name),
                "met": bool(off <= 1e-9),
            }
            for term, off in zip(made.terms, goals.misses(made.terms, made.values), strict=True)
        ],
        "moves": {
            move.path: {"before": number(move.path, move.before), "after": number(move.path, move.value)}
            for move in made.moves
        },
        "history": [list(pair) for pair in made.history],
    }  # fmt: skip
    if told:
        found["without"] = {one.move.path: one.left for one in told["bought"]}
        found["fewest"] = [
            {"left": one.left, "met": one.met, "moves": {move.path: move.value for move in one.moves}}
            for one in told["fewest"]
        ]
        found["fights"] = [[one.one.title, one.other.title, one.cosine] for one in told.get("fights", ())]
        found["parts"] = [{"part": one.title, "left": one.left, "met": one.met} for one in told.get("parts", ())]
    return found
