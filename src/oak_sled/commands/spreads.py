"""Commands that run many variants of a drill: spread and sensitivity."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from oak_sled import terminal
from oak_sled.commands.shared import (
    YardArgument,
    app,
    check_outputs,
    load_yard,
    warm,
)
from oak_sled.core.base.faults import refuse


@app.command()
def spread(
    yard: YardArgument,
    drill: Annotated[str, typer.Option(help="the drill")],
    vary: Annotated[
        list[str],
        typer.Option(
            help="sweep over a range (:log for logarithmic steps), or values of a dial, a choice, craft, ticks or card",
            metavar="PATH=LO:HI:N|a,b,c",
        ),
    ],
    measure: Annotated[list[str], typer.Option(help="measure to report (repeatable)")],
    scatter: Annotated[int, typer.Option(help="randomised repeats per variant", min=0, max=200)] = 0,
    seed: Annotated[int, typer.Option(help="random seed", min=0)] = 1,
    threads: Annotated[int, typer.Option(help="threads; 0: one per core", min=0, max=256)] = 0,
    on: Annotated[
        str,
        typer.Option(
            help="run on the Dask cluster at this address; it is trusted: it may run any code here",
            metavar="tcp|tls://HOST:PORT",
        ),
    ] = "",
    tls_ca_file: Annotated[str, typer.Option(help="the authority of a tls:// cluster, PEM", metavar="FILE")] = "",
    tls_cert: Annotated[str, typer.Option(help="the certificate of this machine, PEM", metavar="FILE")] = "",
    tls_key: Annotated[str, typer.Option(help="its key, PEM", metavar="FILE")] = "",
    csv: Annotated[str | None, typer.Option(help="write the grid to this CSV file")] = None,
    picture: Annotated[str | None, typer.Option(help="write the first measure as a map to this PNG file")] = None,
) -> int:
    """Run a grid of variants and print the measures of each."""
    from oak_sled.core.base import disk, document
    from oak_sled.core.study import spread as spreads
    from oak_sled.core.study import variants
    from oak_sled.core.yard.spreads import Spread

    check_outputs(yard, {"--csv": csv, "--picture": picture})
    if picture is not None and Path(picture).suffix.lower() not in (".png", ""):
        raise refuse("--picture", f"a map is written as PNG, not as {Path(picture).suffix}", "a file that ends in .png")
    if on and threads:
        raise refuse("--threads", "a cluster has the threads of its workers", "--on or --threads, not both")
    if any((tls_ca_file, tls_cert, tls_key)) and not on.startswith("tls://"):
        raise refuse("--tls", "these files are for a cluster that is reached by TLS", "--on tls://HOST:PORT")
    found = load_yard(yard)
    axes = [variants.read_axis(entry, found) for entry in vary]
    axes, cards = _with_cards(yard, axes)
    plan = document.checked(
        Spread,
        {
            "id": "spread",
            "drill": drill,
            "axes": axes,
            "cards": cards,
            "measures": tuple(dict.fromkeys(measure)),
            "scatter": {"repeats": scatter, "seed": seed},
        },
    )
    names = variants.check(found, plan)
    warm()
    teller = terminal.Teller()
    gathered = spreads.Gathered(found, plan, lambda told, *_: teller.tell(told.done, told.of))
    status = terminal.DONE
    try:
        _gather(gathered, threads, on, (tls_ca_file, tls_cert, tls_key))
        made = plan.replace(results=gathered.results())
        text = spreads.csv_of(made, names)
    except KeyboardInterrupt:  # what is finished is kept
        gathered.close()
        print(f"\noak-sled: stopped after {gathered.done} of {plan.runs} runs", file=sys.stderr)
        made = plan.replace(results=gathered.so_far())
        text, status = spreads.csv_of(made, names, gathered.finished), terminal.STOPPED
        picture = picture if gathered.shows_something else None
    print(text, end="", flush=True)  # first: where a file cannot be written, what was computed is not lost
    if csv not in (None, terminal.STREAM):
        disk.write_whole(Path(str(csv)), text.encode())
    if picture is not None:
        from oak_sled.core.study import map_picture

        map_picture.write(Path(picture), made, names)
    return status


def _gather(gathered: Any, threads: int, on: str, tls: tuple[str, str, str]) -> None:
    """Computes a spread, here or on a cluster."""
    from oak_sled.core.study import cluster
    from oak_sled.core.study import spread as spreads

    if on:
        cluster.gather(gathered, on, tls=cluster.Tls(*tls) if any(tls) else None)
    else:
        spreads.gather(gathered, threads)


def _with_cards(where: str, axes: list[Any]) -> tuple[list[Any], tuple[Any, ...]]:
    """Axes whose names of cards are those of the shelf beside the yard file, and the cards."""
    from oak_sled.core.project import shelf, shelf_store
    from oak_sled.core.study import variants
    from oak_sled.core.yard.spreads import CARD

    place = next((k for k, axis in enumerate(axes) if axis.path == CARD), -1)
    if place < 0:
        return axes, ()
    kept = () if where.startswith("demo:") else shelf_store.load_all(Path(where)).cards[::-1]
    axis, cards = variants.cards_axis(
        (card.heading, card.job.craft) for card in shelf.cards_named(axes[place].listed, kept)
    )
    return [*axes[:place], axis, *axes[place + 1 :]], cards


@app.command()
def sensitivity(
    yard: YardArgument,
    drill: Annotated[str, typer.Option(help="the drill")],
    craft: Annotated[str, typer.Option(help="the craft")] = "",
    threads: Annotated[int, typer.Option(help="threads; 0: one per core", min=0, max=256)] = 0,
    csv: Annotated[str | None, typer.Option(help="write the table to this CSV file")] = None,
) -> None:
    """Print the sensitivity of every measure to every dial of a craft, in % per %."""
    from oak_sled.core.base import disk
    from oak_sled.core.study import sensitivity as sensing

    check_outputs(yard, {"--csv": csv})
    found = load_yard(yard)
    warm()
    made = sensing.compute(found, drill, craft, threads, progress=terminal.Teller("dials").tell)
    text = sensing.csv_of(made)
    print(text, end="", flush=True)
    if csv not in (None, terminal.STREAM):
        disk.write_whole(Path(str(csv)), text.encode())
