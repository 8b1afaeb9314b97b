"""Oak Sled: a desk for the forces that move vehicles in games.

As a library it opens yards, runs their drills and tells what came out: see docs/library.md.

    import oak_sled

    yard = oak_sled.open("demo:fan-sled")
    yard.set("crafts.fan_sled.parts.fan.thrust", "0.9 kN")
    print(yard.run("brake_to_stop").measures["stop_distance"])
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

__version__ = "0.1.0"

__all__ = [
    "Dial", "Moment", "Refused", "Result", "Run", "Spread", "Trace", "Yard", "demos", "families", "new", "open",
]  # fmt: skip

_MADE_IN = {
    **dict.fromkeys(("Dial", "Spread", "Yard", "demos", "families", "new", "open"), "oak_sled.library.yards"),
    **dict.fromkeys(("Moment", "Result", "Run", "Trace"), "oak_sled.library.runs"),
    "Refused": "oak_sled.core.base.faults",
}

if TYPE_CHECKING:
    from oak_sled.core.base.faults import Refused
    from oak_sled.library.runs import Moment, Result, Run, Trace
    from oak_sled.library.yards import Dial, Spread, Yard, demos, families, new
    from oak_sled.library.yards import open_yard as open


def __getattr__(name: str) -> Any:
    """The names of the library, when they are first asked for: the command line needs none of them."""
    if name not in _MADE_IN:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    from importlib import import_module

    return getattr(import_module(_MADE_IN[name]), "open_yard" if name == "open" else name)


def __dir__() -> list[str]:
    return [*__all__, "__version__"]
