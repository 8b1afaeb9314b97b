"""The command by which a craft leaves for a game."""

from __future__ import annotations

import functools
from pathlib import Path
from typing import Annotated, Any

import typer

from oak_sled.commands.shared import CraftOption, DrillOption, SetOption, YardArgument, app, load_yard, with_sets
from oak_sled.core.base.faults import refuse


@app.command()
def export(
    yard: YardArgument,
    craft: CraftOption = "",
    to: Annotated[
        str,
        typer.Option(
            "--to", help="c, cpp, csharp or js; json: the numbers; glb: the run as glTF; report: a page about it"
        ),
    ] = "c",
    out: Annotated[str, typer.Option("--out", "-o", help="folder to write")] = "",
    drill: DrillOption = "",
    sets: SetOption = None,
    against: Annotated[
        str, typer.Option("--against", help="another yard, or a card of the shelf: also writes what differs from it")
    ] = "",
) -> None:
    """Write a craft as source code, or its run as motion or report."""
    from oak_sled.core.assembly import jobs
    from oak_sled.core.portable import folder
    from oak_sled.core.report.leaving import Leaves
    from oak_sled.core.results import run as runs

    if not out:
        raise refuse("--out", "no folder is named", f"oak-sled export {yard} --to {to} --out FOLDER")
    made = with_sets(load_yard(yard), sets)
    job = jobs.job_of(made, made.drill(drill) if drill else None, craft)
    old, cards = _card(yard, made, drill, craft, against) if against else (None, ())
    run = functools.cache(lambda: runs.execute(job))
    for file in folder.put(Leaves(job, made.cameras, made.game, run, old, cards).files(to), Path(out)):
        print(file)


def _card(yard: str, made: Any, drill: str, craft: str, against: str) -> tuple[Any, Any]:
    """The card that is named, or one of another yard that is; and the shelf beside the yard."""
    from oak_sled import terminal
    from oak_sled.core.assembly import jobs
    from oak_sled.core.project import demos, shelf, shelf_store
    from oak_sled.core.results import run

    kept = () if yard.startswith("demo:") or yard == terminal.STREAM else shelf_store.load_all(Path(yard)).cards
    if against.startswith("demo:") or Path(against).exists():
        other = demos.open_yard(against)
        before = jobs.job_of(other, other.drill(drill or made.bench.drill), craft or made.bench.craft)
        return shelf.card_of(run.execute(before), other.title), kept
    return shelf.cards_named([against], kept)[0], kept
