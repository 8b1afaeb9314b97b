"""Commands that list what there is: demos, measures, cautions, a yard, the schema."""

from __future__ import annotations

import json
from importlib import resources
from typing import Annotated

import typer

from oak_sled.commands.shared import (
    YardArgument,
    app,
    load_yard,
)


@app.command()
def demos() -> None:
    """List the demo yards."""
    from oak_sled.core.project.demos import DEMOS

    for name, says in DEMOS.items():
        print(f"demo:{name}  {says}")


@app.command("measures")
def list_measures(
    as_json: Annotated[bool, typer.Option("--json", help="print them as JSON, with every field")] = False,
) -> None:
    """List what a run is judged by: name, unit and definition."""
    from oak_sled.core.results import measures

    if as_json:
        print(json.dumps(measures.declared(), indent=1, ensure_ascii=False))
        return
    for one in measures.MEASURES:
        print(f"{one.name}\t{one.unit or '-'}\t{one.title}: {one.says}")


@app.command("cautions")
def list_cautions(
    as_json: Annotated[bool, typer.Option("--json", help="print them as JSON")] = False,
) -> None:
    """List every caution: name, condition and remedy."""
    import dataclasses

    from oak_sled.core.parts import caution

    if as_json:
        print(json.dumps([dataclasses.asdict(one) for one in caution.KINDS], indent=1, ensure_ascii=False))
        return
    for one in caution.KINDS:
        print(f"{one.name}\t{one.when}\t{one.helps}")


@app.command("list")
def list_yard(yard: YardArgument) -> None:
    """List crafts, grounds, drills and dials (path, value, unit) of a yard."""
    from oak_sled.core.base import document

    found = load_yard(yard)
    for kind, items in (("craft", found.crafts), ("ground", found.grounds), ("drill", found.drills)):
        for item in items:
            print(f"{kind}\t{item.id}\t{item.heading}")
    for path, dial, value in document.all_dials(found):
        print(f"dial\t{path}\t{value:g}\t{dial.unit}")


@app.command()
def schema() -> None:
    """Print the JSON Schema of the yard file."""
    # written from the declarations by scripts/write_pages.py; a test holds the two together
    print((resources.files("oak_sled") / "yard.schema.json").read_text(encoding="utf-8"), end="")
