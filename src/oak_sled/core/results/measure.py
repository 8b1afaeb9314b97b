"""The declaration of a measure: one number read from a run, declared at the function that reads it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from types import ModuleType
from typing import Literal

from oak_sled.core.results.run import Run

Better = Literal["", "low", "high"]
Reader = Callable[[Run], float | None]


@dataclass(frozen=True)
class Measure:
    """A number read from a run.

    title : what it is called. says : its definition. formula : the same in symbols, or "". shows : what a run must show
    for it to be read, "" for any run; else it is None. source : the standard it follows, or "". better : which is
    better, "" for neither. ledger : whether it may ask for the ledger of a craft; what does not is read from rows
    without it as well.
    """

    name: str
    title: str
    unit: str
    says: str
    read: Reader
    formula: str = ""
    shows: str = ""
    source: str = ""
    better: Better = ""
    ledger: bool = False


def measured(
    title: str,
    unit: str,
    says: str,
    *,
    formula: str = "",
    shows: str = "",
    source: str = "",
    better: Better = "",
    ledger: bool = False,
) -> Callable[[Reader], Measure]:
    """Declares a measure at the function that reads it, whose name is its own; the fields are those of `Measure`."""

    def made(read: Reader) -> Measure:
        return Measure(read.__name__, title, unit, says, read, formula, shows, source, better, ledger)

    return made


def declared_in(*modules: ModuleType) -> tuple[Measure, ...]:
    """Every measure that modules declare, in order."""
    return tuple(one for module in modules for one in vars(module).values() if isinstance(one, Measure))
