"""Shared by every command: the application, how a yard is named and changed, and where output goes."""

from __future__ import annotations

import contextlib
import functools
import inspect
import io
import json
import re
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from oak_sled import __version__, terminal
from oak_sled.core.base import units
from oak_sled.core.base.faults import Fault, Refused, refuse

app = typer.Typer(
    help="Oak Sled: a test bench for force-driven movement in games.",
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    context_settings={"help_option_names": ["-h", "--help"]},
)
dev = typer.Typer(help="Work on the program itself: bench, pictures, kernel.", rich_markup_mode=None)
app.add_typer(dev, name="dev")


def for_developers(name: str) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Declares a command of the group `dev`; scripts may also call it without the word."""

    def declared(command: Callable[..., Any]) -> Callable[..., Any]:
        app.command(name, hidden=True)(command)
        return dev.command(name)(command)

    return declared


OutOption = Annotated[
    str | None, typer.Option("--out", "-o", help="write what it prints to this file; - for standard output")
]


def prints(name: str = "") -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Declares a command that prints: with -o, what it prints goes to a file, whole or not at all."""

    def declared(command: Callable[..., Any]) -> Callable[..., Any]:
        @functools.wraps(command)
        def printed(*arguments: Any, out: str | None = None, **named: Any) -> Any:
            if out in (None, terminal.STREAM):
                return command(*arguments, **named)
            given = {f"--{other}": named.get(field) for other, field in _OUTPUTS}
            yards = named.get("yards") or [named.get("yard") or "demo:"]
            for yard in yards:
                check_outputs(yard, {**given, "--out": out})
            gathered = io.StringIO()
            with contextlib.redirect_stdout(gathered):
                status = command(*arguments, **named)
            from oak_sled.core.base import disk

            disk.write_whole(terminal.path_of(str(out)), gathered.getvalue().encode())
            return status

        asked = inspect.signature(command, eval_str=True)
        more = inspect.Parameter("out", inspect.Parameter.KEYWORD_ONLY, default=None, annotation=OutOption)
        taken = [*asked.parameters.values(), more]
        printed.__signature__ = asked.replace(parameters=taken)  # type: ignore[attr-defined]
        printed.__annotations__ = {one.name: one.annotation for one in taken}
        return app.command(name or None)(printed)

    return declared


_OUTPUTS = (("csv", "csv"), ("parquet", "parquet"), ("json", "json_file"), ("junit", "junit"), ("picture", "picture"))
"""Options that name a file to write, and the parameters that take them."""


def _say_version(wanted: bool) -> None:
    if wanted:
        print(f"oak-sled {__version__}")
        raise typer.Exit


@app.callback()
def everywhere(
    version: Annotated[
        bool, typer.Option("--version", callback=_say_version, is_eager=True, help="print the version and end")
    ] = False,
    quiet: Annotated[bool, typer.Option("--quiet", "-q", help="no progress and no notices on standard error")] = False,
) -> None:
    """Oak Sled: a test bench for force-driven movement in games."""
    terminal.be_quiet(quiet)


def complete_yard(begun: str) -> list[str]:
    """Demo yards and yard files that begin so, for the completion of a shell."""
    from oak_sled.core.project.demos import DEMOS

    folder = Path(begun).parent
    files = [str(one) for one in sorted(folder.glob("*")) if one.is_dir() or one.suffix == ".json"]
    return [one for one in (*(f"demo:{name}" for name in DEMOS), *files) if one.startswith(begun)]


def complete_family(begun: str) -> list[tuple[str, str]]:
    """Families of crafts that begin so."""
    from oak_sled.core.project import families

    return [(one.name, one.says) for one in families.FAMILIES if one.name.startswith(begun)]


def _yard_of(context: Any) -> Any:
    """The yard that was typed before what is completed; None where there is none yet, or it is none."""
    from oak_sled.core.project import demos

    given = context.params.get("yard") or context.params.get("yards") or context.args  # those of a line cut short
    where = given if isinstance(given, str) else next(iter(given), "")
    try:
        return demos.open_yard(where) if where and where != terminal.STREAM else None
    except Refused:
        return None


def complete_drill(ctx: typer.Context, incomplete: str) -> list[tuple[str, str]]:
    """Drills of the yard that begin so."""
    yard = _yard_of(ctx)
    return [] if yard is None else [(one.id, one.heading) for one in yard.drills if one.id.startswith(incomplete)]


def complete_craft(ctx: typer.Context, incomplete: str) -> list[tuple[str, str]]:
    """Crafts of the yard that begin so."""
    yard = _yard_of(ctx)
    singles = [] if yard is None else [one for craft in yard.crafts for one in craft.singles]
    return [(one.id, one.heading) for one in singles if one.id.startswith(incomplete)]


def complete_measure(incomplete: str) -> list[tuple[str, str]]:
    """Measures that begin so."""
    from oak_sled.core.results import measures

    return [(one.name, one.title) for one in measures.MEASURES if one.name.startswith(incomplete)]


def complete_dial(ctx: typer.Context, incomplete: str) -> list[str]:
    """Paths of dials of the yard that begin so, with the sign that a value follows."""
    from oak_sled.core.base import document

    yard = _yard_of(ctx)
    if yard is None:
        return []
    return [f"{path}=" for path, _, _ in document.all_dials(yard) if path.startswith(incomplete)]


JsonFlag = Annotated[bool, typer.Option("--json", help="print it as JSON")]
YardsArgument = Annotated[
    list[str], typer.Argument(help="yard files, or demo:NAME", autocompletion=complete_yard, metavar="YARD...")
]
CraftOption = Annotated[
    str,
    typer.Option(
        help="craft, or a body of one as CRAFT.BODY (default: the one the drill names, or the selected)",
        autocompletion=complete_craft,
    ),
]
DrillOption = Annotated[str, typer.Option(help="drill (default: the selected one)", autocompletion=complete_drill)]
YardArgument = Annotated[str, typer.Argument(help="a yard file, or demo:NAME", autocompletion=complete_yard)]


SetOption = Annotated[
    list[str] | None,
    typer.Option(
        "--set",
        help="set a parameter, e.g. PATH=0.9kN (repeatable)",
        metavar="PATH=VALUE",
        autocompletion=complete_dial,
    ),
]


def print_json(data: Any) -> None:
    """Prints data as JSON; an object says of which version it is."""
    data = {"version": __version__, **data} if isinstance(data, dict) else data
    print(json.dumps(data, indent=1, ensure_ascii=False))


def write_json(data: Any, file: str) -> None:
    """Writes data as JSON to a file, or to standard output."""
    from oak_sled.core.base import disk

    disk.write_whole(terminal.path_of(file), (json.dumps(data, indent=1, ensure_ascii=False) + "\n").encode())


def load_yard(where: str) -> Any:
    """The yard that an argument names."""
    from oak_sled.core.project import demos

    notices: list[str] = []
    yard = demos.open_yard(where, notices.append)
    units.use(yard.game.display())
    for line in notices:
        terminal.note(f"{where}: {line}")
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
    units.use(yard.game.display())
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
        if PROGRAM.is_untold():
            terminal.note("first runs: compiling what they need of the simulation kernel, once (some seconds)...")

    PROGRAM.on_progress = say


def check_outputs(yard: str, outputs: dict[str, str | None]) -> None:
    """Refuses what cannot be written, or would take the place of the yard or of another output, before anything is
    computed. outputs : files by their options."""
    from oak_sled.core.base import disk

    given = None if yard.startswith("demo:") or yard == terminal.STREAM else Path(yard)
    files = {option: None if file is None else terminal.path_of(file) for option, file in outputs.items()}
    disk.check_outputs(files, {"the yard": given})


def asked_job(yard: Any, craft: str, drill: str, ticks: int) -> Any:
    """The job of a drill (the selected one) of a yard with a craft (that of the drill), at a tick rate (the yard's)."""
    from oak_sled.core.assembly.jobs import job_of

    if ticks:
        yard = yard.edit("ticks", ticks)
    return job_of(yard, yard.drill(drill) if drill else None, craft)
