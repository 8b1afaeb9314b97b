"""The command line: what is asked, and how it ends. Scripts rely on it; docs/command-line.md describes it."""

from __future__ import annotations

import difflib
import logging
import sys
from pathlib import Path

import typer

from oak_sled import terminal
from oak_sled.commands import (
    bashwords,
    desktop,
    explains,
    exports,
    feels,
    fits,
    links,
    lists,
    networks,
    program,
    runs,
    spreads,
    tunes,
    yardfiles,
)
from oak_sled.commands.shared import (
    app,
)
from oak_sled.core.base.faults import Refused, close_match, one_line, refuse

COMMANDS = (program, desktop, yardfiles, lists, explains, runs, spreads, fits, feels, tunes, networks, exports, links)
"""Modules whose commands are those of the application."""


IN_ORDER = (
    "open", "new", "copy", "demos", "list", "run", "check", "tickcheck", "twins", "spread", "sensitivity", "fit",
    "tune", "character", "network", "trim", "sway", "export", "link", "outlook", "why", "laws", "measures", "cautions",
    "docs", "validate", "upgrade", "schema", "desktop",
)  # fmt: skip
"""Commands as help lists them: those that one begins with first."""


def name_of(command: typer.models.CommandInfo) -> str:
    """The word by which a command is called."""
    return command.name or (command.callback.__name__ if command.callback else "")


app.registered_commands.sort(key=lambda one: (*IN_ORDER, name_of(one)).index(name_of(one)))


def main() -> None:
    """Runs the command line; faults become lines and exit status 2, never a traceback."""
    terminal.prepare_streams()
    try:
        with terminal.interrupts_reach_runs():
            status = bashwords.completing(lambda: _status(sys.argv[1:]))
    except KeyboardInterrupt:  # as it was ending by itself
        status = terminal.STOPPED
    failed = terminal.flush_or_drop()
    if failed is not None and not isinstance(failed, BrokenPipeError):
        status = _tell_full(failed)
    sys.exit(status)


def _status(arguments: list[str]) -> int:
    """Runs a command; its exit status."""
    # `oak-sled`, `oak-sled FILE` and `oak-sled demo:NAME` mean `oak-sled open ...`
    known = {name_of(command) for command in app.registered_commands}
    known |= {group.name for group in app.registered_groups if group.name}
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
