"""The command that fits dials of a craft to what a game did."""

from __future__ import annotations

import math
import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from oak_sled import __version__, terminal
from oak_sled.commands.shared import (
    CraftOption,
    YardArgument,
    check_outputs,
    complete_dial,
    complete_drill,
    load_yard,
    prints,
    warm,
    write_json,
)


@prints()
def fit(
    yard: YardArgument,
    to: Annotated[
        str, typer.Option(help="table of what the game did, CSV or Parquet; none: the recording of the drill")
    ] = "",
    drill: Annotated[str, typer.Option(help="drill with a recording", autocompletion=complete_drill)] = "",
    craft: CraftOption = "",
    dial: Annotated[
        list[str] | None,
        typer.Option(
            help="dial to fit (repeatable; default: those that the recording tells most of)",
            metavar="PATH",
            autocompletion=complete_dial,
        ),
    ] = None,
    lock: Annotated[
        list[str] | None,
        typer.Option(help="dial to leave as it is (repeatable)", metavar="PATH", autocompletion=complete_dial),
    ] = None,
    build: Annotated[
        str, typer.Option(help="build a craft of this name by the laws that were read, and fit that")
    ] = "",
    save: Annotated[str | None, typer.Option(help="write the yard with the fitted numbers to this file")] = None,
    json_file: Annotated[str | None, typer.Option("--json", help="write it to this file; - for stdout")] = None,
) -> int:
    """Fit dials so that the craft repeats what a game did."""
    from oak_sled.core.base import disk
    from oak_sled.core.files import yard_json
    from oak_sled.core.project import gamestudy
    from oak_sled.core.study import fit as fits

    check_outputs(yard, {"--json": json_file, "--save": save})
    found = load_yard(yard)
    chosen = found.drill(drill)
    if to:
        chosen = _drill_of(found, Path(to), craft)
        found = found.replace(drills=(*found.drills, chosen))
    warm()
    if build:
        found, chosen, lacking = gamestudy.with_craft(found, gamestudy.of(found, chosen), build)
        for words in lacking:
            terminal.note(words)

    def told(runs: int) -> None:
        if sys.stderr.isatty():
            print(f"\r{runs} runs", end="", file=sys.stderr, flush=True)

    made = fits.fit(found, chosen, dial or (), lock or (), told=told)
    if sys.stderr.isatty():
        print(file=sys.stderr)
    with terminal.words_beside(json_file):
        study = gamestudy.of(made.yard, made.yard.drill(made.drill))
        read = [f"  {line}" for line in study.read()]
        print("\n".join([*_lines(made), *study.lacking(), "read off the game, frame by frame:", *read]))
    if json_file is not None:
        write_json(_data(made) | {"missing": _lacks(study.lacks), "laws": _told(study.laws)}, json_file)
    if save is not None:
        disk.write_whole(Path(save), yard_json.encoded(made.yard))
    return terminal.DONE


def _drill_of(yard: Any, file: Path, craft: str) -> Any:
    """A drill of a table; what was guessed and left out is said."""
    from oak_sled.core.assembly import jobs
    from oak_sled.core.files import recording_table, recording_taken
    from oak_sled.core.project import retold
    from oak_sled.core.yard.naming import free_name

    job = jobs.job_of(yard, None, craft)
    whole = job.actors[0].whole
    guess = recording_table.guess(recording_table.load(file), whole, yard.game)
    for name, why in guess.reasons.items():
        value = guess.time if name == "time" else getattr(guess.game, name)
        terminal.note(f"{name} {value}: {why}")
    recording, notes = recording_taken.taken(guess)
    for note in (*notes, *retold.strange(recording.name, recording.inputs, recording.ticks, whole, job.ticks)):
        terminal.note(note)
    return retold.drill_of(recording, job, free_name("recording", yard.drills))


def _told(laws: Any) -> Any:
    """The laws for scripts."""
    if laws is None:
        return None
    return {
        name: {
            "channel": told.channel,
            "is_told_apart": told.is_told,
            "laws": [
                {"law": law.name, "leaves": {"value": law.left, "unit": told.unit},
                 "numbers": {one.name: {"value": one.value, "unit": one.unit, "per_frame": one.per_frame}
                             for one in law.numbers}}
                for law in told.laws
            ],
        }
        for name, told in (("drive", laws.drive), ("turn", laws.turn))
        if told is not None
    }  # fmt: skip


def _lacks(found: Any) -> dict[str, Any] | None:
    """The force that is missing, for scripts."""
    if found is None:
        return None
    from oak_sled.core.base import units

    return {
        "rms": units.as_json(found.rms, "m/s2"),
        "worst": None if found.stretch is None else [units.as_json(one, "s") for one in found.stretch],
        "forces": [
            {"force": one.name, "says": one.says, "along": one.along, "explains": one.explains} for one in found.forces
        ],
    }


def _lines(made: Any) -> list[str]:
    """The fit in words."""
    from oak_sled.core.base import document, units

    found = [f"{'dial':<44} {'before':>12} {'fitted':>12}   95 %"]
    for one in made.dials:
        known = document.dial_at(made.yard, one.path)
        unit = known.unit if known is not None else ""
        sure = "the recording does not tell it" if math.isnan(one.spread) else f"± {units.plain(one.spread, unit, 3)}"
        bound = ", at its bound" if one.at_bound else ""
        before, after = units.plain(one.before, unit, 5), units.plain(one.value, unit, 5)
        found.append(f"{one.path:<44} {before:>12} {after:>12}   {sure}{bound}")
    for name, (before, after, held_before, held_after) in made.errors.items():
        unit, factor = ("m", 1.0) if name == "place" else ("°", 180.0 / math.pi)
        told = [units.plain(factor * one, unit, 3) for one in (before, after, held_before, held_after)]
        found.append(f"rms of {name}: {told[0]} before, {told[1]} fitted; held out: {told[2]} before, {told[3]} fitted")
    for one in range(len(made.dials)):
        for other in range(one):
            share = float(made.correlation[one, other])
            if abs(share) > 0.95:
                names = f"{made.dials[other].path} and {made.dials[one].path}"
                found.append(f"{names} stand in for each other in this recording ({share:+.2f})")
    if made.is_narrow:
        found.append("what is left is no noise: a force or another number is off, and the intervals are too narrow")
    return found


def _data(made: Any) -> dict[str, Any]:
    """The fit for scripts."""
    from oak_sled.core.base import document, units

    def told(path: str, value: float) -> Any:
        known = document.dial_at(made.yard, path)
        return units.as_json(value, known.unit if known is not None else "")

    return {
        "version": __version__,
        "drill": made.drill,
        "runs": made.runs,
        "dials": {
            one.path: {
                "before": told(one.path, one.before),
                "value": told(one.path, one.value),
                "half_interval_95": None if math.isnan(one.spread) else told(one.path, one.spread),
                "at_bound": one.at_bound,
            }
            for one in made.dials
        },
        "errors": {
            name: dict(zip(("before", "after", "held_out_before", "held_out_after"), told, strict=True))
            for name, told in made.errors.items()
        },
        "correlation": made.correlation.tolist(),
        "memory": made.memory,
        "too_narrow": made.is_narrow,
    }
