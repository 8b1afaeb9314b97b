"""Commands that list what there is: demos, measures, cautions, a yard, the schema."""

from __future__ import annotations

from importlib import resources
from typing import Annotated

import typer

from oak_sled.commands.shared import (
    JsonFlag,
    YardArgument,
    load_yard,
    print_json,
    prints,
)


@prints()
def demos(as_json: JsonFlag = False) -> None:
    """List the demo yards."""
    from oak_sled.core.project.demos import DEMOS

    if as_json:
        print_json([{"yard": f"demo:{name}", "says": says} for name, says in DEMOS.items()])
        return
    for name, says in DEMOS.items():
        print(f"demo:{name}  {says}")


@prints("measures")
def list_measures(as_json: JsonFlag = False) -> None:
    """List every measure: name, unit and definition."""
    from oak_sled.core.results import measures

    if as_json:
        print_json(measures.declared())
        return
    for one in measures.MEASURES:
        print(f"{one.name}\t{one.unit or '-'}\t{one.title}: {one.says}")


@prints("cautions")
def list_cautions(as_json: JsonFlag = False) -> None:
    """List every caution: name, condition and remedy."""
    import dataclasses

    from oak_sled.core.parts import caution

    if as_json:
        print_json([dataclasses.asdict(one) for one in caution.KINDS])
        return
    for one in caution.KINDS:
        print(f"{one.name}\t{one.when}\t{one.helps}")


@prints("list")
def list_yard(yard: YardArgument, as_json: JsonFlag = False) -> None:
    """List crafts, grounds, drills and dials of a yard."""
    from oak_sled.core.base import document, units

    found = load_yard(yard)
    if as_json:
        named = {"crafts": found.crafts, "grounds": found.grounds, "drills": found.drills}
        told = {kind: [{"id": one.id, "title": one.heading} for one in items] for kind, items in named.items()}
        dials = [
            {"path": path, **units.as_json(dial.sign * value, dial.unit)}
            for path, dial, value in document.all_dials(found)
        ]
        print_json({"title": found.title, "ticks": found.ticks, **told, "dials": dials})
        return
    for kind, items in (("craft", found.crafts), ("ground", found.grounds), ("drill", found.drills)):
        for item in items:
            print(f"{kind}\t{item.id}\t{item.heading}")
    for path, dial, value in document.all_dials(found):
        print(f"dial\t{path}\t{units.tick(dial.sign * value, dial.unit)}\t{units.name_of(dial.unit)}")


def _complete_page(begun: str) -> list[str]:
    from oak_sled.core.project import manual

    return [name for name in manual.pages() if name.startswith(begun)]


@prints()
def docs(
    page: Annotated[str, typer.Argument(help="a page (without one: list them)", autocompletion=_complete_page)] = "",
) -> None:
    """Print a page of the documents, or list them."""
    from oak_sled.core.project import manual

    if page:
        print(manual.read(page), end="")
        return
    for name in manual.pages():
        print(f"{name}\t{manual.title_of(manual.read(name))}")
    print(f"in {manual.folder()}")


@prints()
def schema() -> None:
    """Print the JSON Schema of the yard file."""
    # written from the declarations by scripts/write_pages.py; a test holds the two together
    print((resources.files("oak_sled") / "yard.schema.json").read_text(encoding="utf-8"), end="")
