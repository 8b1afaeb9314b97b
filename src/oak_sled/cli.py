"""The command line: the core without a screen. Scripts rely on it; docs/command-line.md describes it.

One file, since it is a list of commands, each a few lines.
"""

from __future__ import annotations

import difflib
import json
import logging
import re
import signal
import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from oak_sled import terminal
from oak_sled.core.base.faults import Fault, Refused, close_match, one_line, refuse

app = typer.Typer(
    help="Oak Sled: a desk for the forces that move vehicles in games.",
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
)


def complete_yard(begun: str) -> list[str]:
    """Demo yards and yard files that begin so, for the completion of a shell."""
    from oak_sled.core.project.demos import DEMOS

    folder = Path(begun).parent
    files = [str(one) for one in sorted(folder.glob("*")) if one.is_dir() or one.suffix == ".json"]
    return [one for one in (*(f"demo:{name}" for name in DEMOS), *files) if one.startswith(begun)]


YardArgument = Annotated[str, typer.Argument(help="a yard file, or demo:NAME", autocompletion=complete_yard)]
SetOption = Annotated[
    list[str] | None,
    typer.Option("--set", help="set a parameter, e.g. PATH=0.9kN (repeatable)", metavar="PATH=VALUE"),
]


def main() -> None:
    """Runs the command line; faults become lines and exit status 2, never a traceback."""
    terminal.prepare_streams()
    try:
        with terminal.interrupts_reach_runs():
            status = _status(sys.argv[1:])
    except KeyboardInterrupt:  # as it was ending by itself
        status = terminal.STOPPED
    failed = terminal.flush_or_drop()
    if failed is not None and not isinstance(failed, BrokenPipeError):
        status = _tell_full(failed)
    sys.exit(status)


def _status(arguments: list[str]) -> int:
    """Runs a command; its exit status."""
    # `oak-sled`, `oak-sled FILE` and `oak-sled demo:NAME` mean `oak-sled open ...`
    known = {command.name or command.callback.__name__ for command in app.registered_commands if command.callback}
    try:
        if not arguments or (arguments[0] not in known and not arguments[0].startswith("-")):
            _refuse_misspelt(arguments, known)
            arguments = ["open", *arguments]
        status = app(args=arguments, standalone_mode=False)
    except Refused as refused:
        for fault in refused.faults:
            print(f"oak-sled: {fault}", file=sys.stderr)
        return terminal.BAD_INPUT
    except typer.Exit as stopped:
        return int(stopped.exit_code)
    except (typer.Abort, KeyboardInterrupt):
        return terminal.STOPPED
    except BrokenPipeError:  # whoever reads has seen enough
        terminal.drop_output()
        return terminal.DONE
    except OSError as error:
        terminal.drop_output()
        return _tell_full(error)
    except Exception as error:
        if type(error).__module__.startswith(("click", "typer")):
            says = error.format_message() if hasattr(error, "format_message") else str(error)
            print(f"oak-sled: {one_line(says.rstrip('.'))}; see oak-sled --help", file=sys.stderr)
            return terminal.BAD_INPUT
        if type(error).__name__ == "Stopped":  # named, since what it is of takes long to import
            return terminal.STOPPED
        logging.getLogger("oak_sled").debug("unexpected", exc_info=True)
        says = one_line(f"{type(error).__name__}: {error}")
        print(f"oak-sled: an error of the program itself: {says}", file=sys.stderr)
        return terminal.OWN_ERROR
    return status if isinstance(status, int) else terminal.DONE


def _tell_full(error: OSError) -> int:
    """Says that what was printed did not arrive."""
    says = (error.strerror or str(error)).lower()
    print(f"oak-sled: {error.filename or 'standard output'}: cannot be written: {one_line(says)}", file=sys.stderr)
    return terminal.BAD_INPUT


def _refuse_misspelt(arguments: list[str], known: set[str]) -> None:
    """Says which command is near where the first word is neither one nor a yard."""
    word = arguments[0] if arguments else "open"
    is_yard = word.startswith("demo:") or "/" in word or "." in word or Path(word).exists()
    if not is_yard and word != "open" and difflib.get_close_matches(word, known, n=1):
        raise refuse(word, "no such command or file", close_match(word, sorted(known)))


def load_yard(where: str) -> Any:
    """The yard that an argument names."""
    from oak_sled.core.project import demos

    notices: list[str] = []
    yard = demos.open_yard(where, notices.append)
    for line in notices:
        print(f"oak-sled: {where}: {line}", file=sys.stderr)
    return yard


def with_sets(yard: Any, sets: list[str] | None) -> Any:
    """The yard with every --set applied; all faults are said together."""
    faults: list[Fault] = []
    changes: list[tuple[str, Any]] = []
    for entry in sets or []:
        path, equals, value = entry.partition("=")
        try:
            if not equals:
                raise refuse(
                    f"--set {entry}", "has no value", "PATH=VALUE, such as crafts.fan_sled.parts.fan.thrust=900"
                )
            changes.append((path.strip(), _setting(yard, path.strip(), value.strip())))
        except Refused as refused:
            faults.extend(refused.faults)
    try:
        yard = yard.edit_all(changes) if changes else yard
    except Refused as refused:
        faults.extend(refused.faults)
    if faults:
        raise Refused(faults)
    return yard


def _setting(yard: Any, path: str, text: str) -> Any:
    """A value as it is written on the command line: a number with its unit, a word, true or false, or a list."""
    if text in ("true", "false"):
        return text == "true"
    if text.startswith("["):
        from oak_sled.core.files import yard_json

        try:
            return yard_json.parse(text, path)
        except Refused as refused:
            what = refused.faults[0].what
            raise refuse(
                path, f"{text[:60]} is not a list: {what}", 'a list as JSON has it, such as ["z","roll"]'
            ) from None
    from oak_sled.core.base import document

    return text if document.dial_at(yard, path) is None else document.read_at(yard, path, text)


def read_rates(text: str) -> list[int]:
    """Tick rates, "120" or "60,120,240"; empty: none is asked for. Raises `Refused`."""
    rates = []
    for word in text.split(",") if text else []:
        if not re.fullmatch("[0-9]{1,6}", word.strip()):
            raise refuse("--ticks", f"{word.strip()!r} is not a tick rate", "20 to 2000, or several such as 60,120,240")
        rates.append(int(word))
    return rates


def warm() -> None:
    """Has the kernel say so where it has to be compiled."""
    from oak_sled.core.compiler.kernel import PROGRAM

    def say(symbol: str, done: int, of: int) -> None:
        PROGRAM.on_progress = None
        print("oak-sled: first run: compiling the simulation kernel (some seconds)...", file=sys.stderr, flush=True)

    PROGRAM.on_progress = say


@app.command("open")
def open_desk(yard: Annotated[str, typer.Argument(help="a yard file, or demo:NAME")] = "") -> int:
    """Open the desktop program."""
    from oak_sled.desk.app import start

    signal.set_wakeup_fd(-1)  # a window ends its runs by itself
    return start.run(yard)


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
def run(
    yard: YardArgument,
    craft: Annotated[str, typer.Option(help="craft to run (default: the one the drill names, or the selected)")] = "",
    drill: Annotated[str, typer.Option(help="drill to run (default: the selected one)")] = "",
    ticks: Annotated[str, typer.Option(help="tick rate in Hz, or a comma-separated list (default: the file's)")] = "",
    sets: SetOption = None,
    csv: Annotated[str | None, typer.Option(help="write the run to this CSV file; - for standard output")] = None,
    parquet: Annotated[str | None, typer.Option(help="write the same table to this Parquet file")] = None,
    json_file: Annotated[
        str | None, typer.Option("--json", help="write measures, targets, cautions and digest to this file")
    ] = None,
) -> int:
    """Run a drill and print the measures as a table; at several tick rates, a column each."""
    from oak_sled.core.base import disk
    from oak_sled.core.files import run_table
    from oak_sled.core.results import run as runs

    rates = read_rates(ticks)
    for option, file in (("--csv", csv), ("--parquet", parquet)):
        if len(rates) > 1 and file is not None:
            raise refuse(option, f"one file cannot hold {len(rates)} runs", "one tick rate")
    check_outputs(yard, {"--csv": csv, "--parquet": parquet, "--json": json_file})
    found = with_sets(load_yard(yard), sets)
    jobs = [_job(found, craft, drill, rate) for rate in rates or [0]]
    warm()
    teller = terminal.Teller()
    made = []
    for job in jobs:
        made.append(runs.execute(job))
        teller.tell(len(made), len(jobs))
    with terminal.words_beside(csv, parquet, json_file):
        out = [_show_run(one) for one in made] if len(made) == 1 else _show_rates(made)
    if json_file is not None:
        data = out[0] if len(out) == 1 else {"runs": out}
        disk.write_whole(terminal.path_of(json_file), (json.dumps(data, indent=1, ensure_ascii=False) + "\n").encode())
    if csv is not None:
        run_table.save(made[0], terminal.path_of(csv))
    if parquet is not None:
        run_table.save_parquet(made[0], terminal.path_of(parquet))
    if any(one.is_diverged for one in made):
        return terminal.DIVERGED
    return terminal.MISSED if any(not one["met"] for each in out for one in each["targets"]) else terminal.DONE


def check_outputs(yard: str, outputs: dict[str, str | None]) -> None:
    """Refuses what cannot be written, or would take the place of the yard or of another output, before anything is
    computed. outputs : files by their options."""
    from oak_sled.core.base import disk

    given = None if yard.startswith("demo:") or yard == terminal.STREAM else Path(yard)
    files = {option: None if file is None else terminal.path_of(file) for option, file in outputs.items()}
    disk.check_outputs(files, {"the yard": given})


def _summary(made: Any) -> dict[str, Any]:
    """What is written about a run as JSON."""
    from oak_sled.core.advice import cautions
    from oak_sled.core.results import measures

    found = measures.Readings(made)  # those of other crafts too, as targets may ask for them
    shown = [measures.measure(name, [one.craft.id for one in made.job.actors]) for name in measures.names_of(made)]
    warned = cautions.find(made.job, made)
    return {
        "status": made.state_word,
        "message": made.message,
        "measures": {known.name: {"value": found[known.name], "unit": known.unit} for known in shown},
        "targets": [
            {"measure": one.target.measure, "low": one.target.low, "high": one.target.high, "met": one.met}
            for one in measures.judge(made.job.drill, found)
        ],
        "cautions": [{"name": c.name, "where": c.where, "says": c.says, "helps": c.helps} for c in warned],
        "digest": made.digest,
    }


def _tell_diverged(made: Any, where: str = "") -> None:
    """Says on standard error that a run diverged."""
    if made.is_diverged:
        print(f"oak-sled: {where}{one_line(made.message)}", file=sys.stderr)


def _show_rates(made: list[Any]) -> list[dict[str, Any]]:
    """Prints the measures of runs at several tick rates side by side."""
    from oak_sled.core.base import units

    found = [{"ticks": one.job.ticks, **_summary(one)} for one in made]
    job = made[0].job
    print(f"{job.craft.heading} · {job.drill.heading} · {job.ground.heading}")
    print(f"{'ticks/s':<15}" + "".join(f"{one['ticks']:>14}" for one in found))
    print(f"{'status':<15}" + "".join(f"{one['status']:>14}" for one in found))
    for name, first in found[0]["measures"].items():
        values = [one["measures"].get(name, {}).get("value") for one in found]
        if any(value is not None for value in values):
            cells = "".join(f"{units.told(value, first['unit']):>14}" for value in values)
            print(f"{name:<15}{cells} {first['unit']}")
    print(f"{'digest':<15}" + "".join(f"{one['digest'][:12]:>14}" for one in found))
    for one in made:
        _tell_diverged(one, f"{one.job.ticks} ticks/s: ")
    return found


def _show_run(made: Any) -> dict[str, Any]:
    """Prints the measures, targets and cautions of a run."""
    from oak_sled.core.advice import cautions
    from oak_sled.core.base import units
    from oak_sled.core.results import measures

    job = made.job
    found = measures.Readings(made)
    warned = cautions.find(job, made)
    print(f"{job.craft.heading} · {job.drill.heading} · {job.ground.heading} · {job.ticks} ticks/s")
    crafts = [one.craft.id for one in job.actors]
    shown = [measures.measure(name, crafts) for name in measures.names_of(made)]
    for known in shown:
        value = found[known.name]
        if value is not None:
            print(f"{known.name:<15} {units.told(value, known.unit):>12} {known.unit:<5} {known.title}")
    for verdict in measures.judge(job.drill, found):
        print(f"target {'met   ' if verdict.met else 'missed'} {verdict.words()}")
    for caution in warned:
        print(f"caution {caution}")
    if made.is_diverged:
        print(f"status {made.state_word}")
    print(f"digest {made.digest}")
    _tell_diverged(made)
    return _summary(made)


def _job(yard: Any, craft: str, drill: str, ticks: int) -> Any:
    from oak_sled.core.assembly.jobs import job_of

    if ticks:
        yard = yard.edit("ticks", ticks)
    return job_of(yard, yard.drill(drill) if drill else None, craft)


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
    """Runs a grid of variants and prints the measures of each."""
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
    """Prints how much every measure answers to every dial of a craft, in % for each %."""
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


@app.command()
def check(yard: YardArgument) -> int:
    """Run every drill that has targets; a line each; exit status 1 if one is missed, 4 if one diverges."""
    from oak_sled.core.assembly.jobs import job_of
    from oak_sled.core.results import measures
    from oak_sled.core.results import run as runs

    found = load_yard(yard)
    warm()
    drills = [drill for drill in found.drills if drill.targets]
    teller, status = terminal.Teller("drills"), terminal.DONE
    for number, drill in enumerate(drills, start=1):
        made = runs.execute(job_of(found, drill))
        verdicts = measures.judge(drill, measures.Readings(made))  # those of other crafts too
        bad = [verdict for verdict in verdicts if not verdict.met]
        word = "diverged" if made.is_diverged else "missed" if bad else "met   "
        says = made.message if made.is_diverged else "; ".join(v.words() for v in bad or verdicts)
        print(f"{word}  {drill.id}: {says}", flush=True)
        if made.is_diverged:
            status = terminal.DIVERGED
        elif bad and status == terminal.DONE:
            status = terminal.MISSED
        teller.tell(number, len(drills))
    return status


@app.command()
def tickcheck(
    yard: YardArgument,
    craft: Annotated[str, typer.Option(help="craft to run")] = "",
    drill: Annotated[str, typer.Option(help="drill to run (default: the selected one)")] = "",
    sets: SetOption = None,
) -> None:
    """Run a drill at 30, 60, 120 and 240 ticks/s beside the reference, with the spread of each measure."""
    from oak_sled.core.study import tickcheck as checks

    job = _job(with_sets(load_yard(yard), sets), craft, drill, 0)
    warm()
    print(checks.table(checks.check(job, on_progress=terminal.Teller("tick rates").tell)))


@app.command()
def bench(
    quick: Annotated[bool, typer.Option(help="shorter, for a look")] = False,
    no_window: Annotated[bool, typer.Option("--no-window", help="leave out what needs the window")] = False,
) -> None:
    """The benchmark: each figure a ratio against something measured in the same run."""
    from oak_sled.bench import report

    warm()
    report.print_all(quick=quick, window=not no_window)


@app.command()
def shots(folder: Annotated[str, typer.Argument(help="where the pictures go")]) -> int:
    """Every main view from demo data as a 1280x800 PNG."""
    from oak_sled.desk.trials import shots as pictures

    return pictures.shots(Path(folder))


@app.command()
def tour(folder: Annotated[str, typer.Argument(help="where the pictures go")] = "demo-pictures") -> int:
    """Takes the window through the demo by itself and prints the measures (what `make demo` does without a display)."""
    from oak_sled.desk.app import program

    return program.tour(Path(folder))


@app.command()
def soak(
    minutes: Annotated[float, typer.Option(min=0.05, max=10000.0, help="how long")] = 30.0,
    actions: Annotated[int, typer.Option(min=0, help="how many actions, in the place of minutes")] = 0,
    seed: Annotated[int, typer.Option(help="of the order of the actions")] = 1,
    pictures: Annotated[str, typer.Option(help="folder for pictures of stale pixels")] = "",
) -> int:
    """Random use of the window: tracebacks, stalls, growth of memory, stale pixels; exit status 1 if there were any."""
    from oak_sled.desk.trials import soak as test

    return test.soak(minutes, seed, Path(pictures) if pictures else None, actions)


@app.command()
def schema() -> None:
    """JSON Schema of the yard file."""
    # written from the declarations by scripts/write_pages.py; a test holds the two together
    print(Path(__file__).with_name("yard.schema.json").read_text(encoding="utf-8"), end="")


@app.command("compile")
def compile_kernel() -> None:
    """Compile the simulation kernel in advance, as the set-up does."""
    from oak_sled.core.compiler.kernel import PROGRAM
    from oak_sled.core.project import warmup

    if PROGRAM.is_ready():
        print("kernel: already compiled")
        return

    def say(symbol: str, done: int, of: int) -> None:
        if not symbol.startswith("door."):
            print(f"kernel: {symbol.rpartition('.')[0]}", flush=True)

    PROGRAM.on_progress = say
    seconds = warmup.compile_all()
    print(f"kernel: compiled in {seconds:.1f} s of computing")
