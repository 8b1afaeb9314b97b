"""The command by which a craft leaves for a game."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from oak_sled.commands.shared import CraftOption, DrillOption, SetOption, YardArgument, app, load_yard, with_sets
from oak_sled.core.base.faults import refuse


@app.command()
def export(
    yard: YardArgument,
    craft: CraftOption = "",
    to: Annotated[str, typer.Option("--to", help="c, cpp, csharp or js; json: the numbers alone")] = "c",
    out: Annotated[str, typer.Option("--out", "-o", help="folder to write")] = "",
    drill: DrillOption = "",
    sets: SetOption = None,
    against: Annotated[
        str, typer.Option("--against", help="another yard, or a card of the shelf: also writes what differs from it")
    ] = "",
) -> None:
    """Write a craft as source code for a game."""
    from oak_sled.core.assembly import jobs
    from oak_sled.core.portable import folder

    if not out:
        raise refuse("--out", "no folder is named", f"oak-sled export {yard} --to {to} --out FOLDER")
    made = with_sets(load_yard(yard), sets)
    job = jobs.job_of(made, made.drill(drill) if drill else None, craft)
    files = folder.files_of(job, to, made.cameras, made.game)
    if against:
        files["changes.md"] = _changes(yard, made, job, drill, craft, against)
    for file in folder.put(files, Path(out)):
        print(file)


def _changes(yard: str, made: Any, job: Any, drill: str, craft: str, against: str) -> str:
    """The difference to another yard, or to a card of the shelf, as a list in Markdown."""
    from oak_sled import terminal
    from oak_sled.core.assembly import jobs
    from oak_sled.core.project import changelist, demos, shelf, shelf_store
    from oak_sled.core.results import run

    kept = () if yard.startswith("demo:") or yard == terminal.STREAM else shelf_store.load_all(Path(yard)).cards
    if against.startswith("demo:") or Path(against).exists():
        other = demos.open_yard(against)
        before = jobs.job_of(other, other.drill(drill or made.bench.drill), craft or made.bench.craft)
        old = shelf.card_of(run.execute(before), other.title)
    else:
        old = shelf.cards_named([against], kept)[0]
    return changelist.page(old, shelf.card_of(run.execute(job), made.title), kept)
