"""The declaration of a quantity of feel: one number read from the probes of a craft, declared at what reads it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from types import ModuleType

from oak_sled.core.feel.probes import Probed

Reader = Callable[[Probed], float | None]


@dataclass(frozen=True)
class Quantity:
    """A number read from the probes of a craft; None where they do not show it.

    title : what it is called. probe : the probe it is read from. says : its definition. least, most : ends of the
    scale on which it is drawn. size : a difference of it that is felt. moved_by : what moves it, in a line.
    """

    name: str
    title: str
    unit: str
    probe: str
    says: str
    least: float
    most: float
    size: float
    moved_by: str
    read: Reader


def felt(
    title: str,
    unit: str,
    probe: str,
    says: str,
    *,
    scale: tuple[float, float],
    size: float,
    moved_by: str,
) -> Callable[[Reader], Quantity]:
    """Declares a quantity at the function that reads it, whose name is its own; the fields are those of `Quantity`."""

    def made(read: Reader) -> Quantity:
        return Quantity(read.__name__, title, unit, probe, says, scale[0], scale[1], size, moved_by, read)

    return made


def declared_in(module: ModuleType) -> tuple[Quantity, ...]:
    """Every quantity that a module declares, in order."""
    return tuple(one for one in vars(module).values() if isinstance(one, Quantity))
