"""The command by which a craft leaves for a game."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

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
) -> None:
    """Write a craft as source code for a game."""
    from oak_sled.core.assembly import jobs
    from oak_sled.core.portable import folder

    if not out:
        raise refuse("--out", "no folder is named", f"oak-sled export {yard} --to {to} --out FOLDER")
    made = with_sets(load_yard(yard), sets)
    job = jobs.job_of(made, made.drill(drill) if drill else None, craft)
    for file in folder.write(job, to, Path(out), made.cameras):
        print(file)
