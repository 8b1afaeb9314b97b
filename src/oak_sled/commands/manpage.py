"""The manual page, made from what every command says of itself."""

from __future__ import annotations

from typing import Any

import typer

from oak_sled import __version__

STATUSES = (
    ("0", "done"), ("1", "a target missed"), ("2", "bad input, with a line for each fault"),
    ("3", "an error of the program itself"), ("4", "a run diverged"), ("130", "stopped by Ctrl-C"),
)  # fmt: skip


def page(app: typer.Typer) -> str:
    """The page as troff: see man(7)."""
    group: Any = typer.main.get_command(app)
    lines = [
        f'.TH OAK-SLED 1 "" "oak-sled {__version__}" "User commands"',
        ".SH NAME",
        r"oak\-sled \- a test bench for force\-driven movement in games",
        ".SH SYNOPSIS",
        r".B oak\-sled",
        r"[\fB\-\-version\fR] [\fB\-\-quiet\fR] [\fICOMMAND\fR] [\fIYARD\fR] ...",
        ".SH DESCRIPTION",
        r"\fIYARD\fR is a file, \fBdemo:\fINAME\fR, or \fB\-\fR for standard input. Without a command the desktop"
        " program opens it.",
        ".SH COMMANDS",
    ]
    for name, command in group.commands.items():
        if command.hidden:
            continue
        for words, one in _commands(name, command):
            lines += _told(words, one)
    lines.append(".SH EXIT STATUS")
    for status, says in STATUSES:
        lines += [".TP", f".B {status}", says]
    return "\n".join(lines) + "\n"


def _commands(name: str, command: Any) -> list[tuple[str, Any]]:
    inner = getattr(command, "commands", None)
    return [(name, command)] if inner is None else [(f"{name} {word}", one) for word, one in inner.items()]


def _told(name: str, command: Any) -> list[str]:
    """A command: its synopsis, what it does, and its options."""
    given = [_name_of(one) for one in command.params if one.param_type_name == "argument"]
    lines = [f".SS {_escaped(' '.join(['oak-sled', name, *given]))}"]
    lines.append(_escaped(" ".join((command.help or "").split())))
    for one in command.params:
        if one.param_type_name == "option" and one.help:
            way = "" if one.is_flag else f" {_name_of(one)}"
            lines += [".TP", f".B {_escaped(', '.join(one.opts) + way)}", _escaped(one.help)]
    return lines


def _name_of(one: Any) -> str:
    return str(one.metavar or one.name.upper().replace("_FILE", "").replace("_", "-"))


def _escaped(text: str) -> str:
    """Text in which troff finds no commands of its own."""
    text = text.replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{text}" if text[:1] in (".", "'") else text
