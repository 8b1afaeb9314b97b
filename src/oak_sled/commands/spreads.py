"""Commands that run many variants of a drill: spread and sensitivity."""

from __future__ import annotations

import json
import math
import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from oak_sled import __version__, terminal
from oak_sled.commands.shared import (
    YardArgument,
    check_outputs,
    complete_dial,
    complete_drill,
    complete_measure,
    load_yard,
    prints,
    warm,
    write_json,
)
from oak_sled.core.base.faults import refuse


@prints()
def spread(
    yard: YardArgument,
    drill: Annotated[str, typer.Option(help="the drill", autocompletion=complete_drill)],
    vary: Annotated[
        list[str],
        typer.Option(
            help="sweep over a range (:log for logarithmic steps), or values of a dial, a choice, craft, ticks or card",
            metavar="PATH=LO:HI:N|a,b,c",
            autocompletion=complete_dial,
        ),
    ],
    measure: Annotated[list[str], typer.Option(help="measure to report (repeatable)", autocompletion=complete_measure)],
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
    json_file: Annotated[
        str | None, typer.Option("--json", help="write a line of JSON for each run; - as they come, on standard output")
    ] = None,
) -> int:
    """Run a grid of variants and print the measures of each."""
    from oak_sled.core.base import disk, document
    from oak_sled.core.study import spread as spreads
    from oak_sled.core.study import variants
    from oak_sled.core.yard.spreads import Grid

    check_outputs(yard, {"--csv": csv, "--picture": picture, "--json": json_file})
    _check_picture(picture, len(vary))
    if on and threads:
        raise refuse("--threads", "a cluster has the threads of its workers", "--on or --threads, not both")
    if any((tls_ca_file, tls_cert, tls_key)) and not on.startswith("tls://"):
        raise refuse("--tls", "these files are for a cluster that is reached by TLS", "--on tls://HOST:PORT")
    found = load_yard(yard)
    axes = [variants.read_axis(entry, found) for entry in vary]
    axes, cards = _with_cards(yard, axes)
    plan = document.checked(
        Grid,
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
    streamed = json_file == terminal.STREAM

    def found_some(told: Any, numbers: Any, _: Any) -> None:
        teller.tell(told.done, told.of)
        if streamed:  # each as it comes, for whoever reads
            print("\n".join(_lines_of(gathered, numbers, names)), flush=True)

    gathered = spreads.Gathered(found, plan, found_some)
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
    with terminal.words_beside(json_file):
        print(text, end="", flush=True)  # first: where a file cannot be written, what was computed is not lost
    if csv not in (None, terminal.STREAM):
        disk.write_whole(Path(str(csv)), text.encode())
    if json_file not in (None, terminal.STREAM):
        lines = _lines_of(gathered, gathered.finished, names)
        disk.write_whole(Path(str(json_file)), "".join(f"{line}\n" for line in lines).encode())
    if picture is not None:
        from oak_sled.core.study import map_picture

        map_picture.write(Path(picture), made, names)
    return status


def _check_picture(picture: str | None, axes: int) -> None:
    """Refuses a picture that cannot be: of more than two axes, or of another kind of file."""
    if picture is None:
        return
    if axes > 2:
        raise refuse("--picture", f"a map shows two axes, not {axes}", "--csv or --json")
    if (suffix := Path(picture).suffix).lower() not in (".png", ""):
        raise refuse("--picture", f"a map is written as PNG, not as {suffix}", "a file that ends in .png")


def _lines_of(gathered: Any, numbers: Any, names: Any) -> list[str]:
    """A line of JSON for each run of these variants."""
    from oak_sled.core.base import units

    plan, lines = gathered.plan, []
    for number in numbers:
        at = dict(zip((axis.path for axis in plan.axes), plan.values_of(int(number)), strict=True))
        for repeat in range(1 + plan.scatter.repeats):
            row = gathered.values[number, repeat]
            told = {
                "version": __version__,
                "drill": plan.drill,
                "values": at,
                "repeat": repeat,
                "status": ("done", "diverged", "refused")[int(gathered.states[number, repeat])],
                "measures": {
                    one.name: units.as_json(None if math.isnan(value) else float(value), one.unit)
                    for one, value in zip(names, row, strict=True)
                },
            }
            lines.append(json.dumps(told, ensure_ascii=False))
    return lines


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


@prints()
def sensitivity(
    yard: YardArgument,
    drill: Annotated[str, typer.Option(help="the drill", autocompletion=complete_drill)],
    craft: Annotated[str, typer.Option(help="the craft")] = "",
    measure: Annotated[
        list[str] | None,
        typer.Option(
            help="measure to show (repeatable; default: those of the targets)", autocompletion=complete_measure
        ),
    ] = None,
    threads: Annotated[int, typer.Option(help="threads; 0: one per core", min=0, max=256)] = 0,
    csv: Annotated[
        str | None, typer.Option(help="write all dials and measures to this CSV file; - for standard output")
    ] = None,
    json_file: Annotated[str | None, typer.Option("--json", help="write it to this file; - for stdout")] = None,
) -> None:
    """Print how each measure answers to each dial.

    In % of the measure for each % of the dial, the most telling dial first.
    """
    from oak_sled.core.base import disk
    from oak_sled.core.study import sensitivity as sensing

    check_outputs(yard, {"--csv": csv, "--json": json_file})
    found = load_yard(yard)
    warm()
    made = sensing.compute(found, drill, craft, threads, progress=terminal.Teller("dials").tell)
    columns = sensing.asked_first(made, measure or [], found.drill(drill))
    with terminal.words_beside(csv, json_file):
        print(sensing.table(made, columns), flush=True)
    if json_file is not None:
        rows = [
            {
                "dial": made.dials[row],
                "answers": {
                    name: None if math.isnan(value) else float(value)
                    for name, value in zip(made.measures, made.answers[row], strict=True)
                },
                "doubts": made.doubts(row),
            }
            for row in made.most()
        ]
        write_json({"version": __version__, "drill": drill, "dials": rows}, json_file)
    if csv is not None:
        disk.write_whole(terminal.path_of(csv), sensing.csv_of(made).encode())
