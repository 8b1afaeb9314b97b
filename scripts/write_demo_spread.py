"""Writes the kept spread of the demo ferry: how it settles, over stiffness and damping of its pads.

Run it after a change of the ferry, of its drill, of the documents, or of the kernel.
"""

from __future__ import annotations

from pathlib import Path

from oak_sled.core.files import yard_json
from oak_sled.core.project import demos
from oak_sled.core.study import spread
from oak_sled.core.yard.spreads import Spread, SpreadAxis

FILE = Path(__file__).parent.parent / "src" / "oak_sled" / "demo" / "ferry.json"
PADS = "crafts.ferry.parts.pads"


def main() -> None:
    """Computes it and writes the yard."""
    yard = demos.load("ferry").replace(spreads=())
    names = tuple(dict.fromkeys(target.measure for target in yard.drill("settle").targets))
    plan = Spread(
        id="how_it_settles",
        title="How it settles",
        drill="settle",
        craft="ferry",
        axes=(
            SpreadAxis(path=f"{PADS}.stiffness", low=10000.0, high=80000.0, count=32, scale="log"),
            SpreadAxis(path=f"{PADS}.damping", low=1000.0, high=12000.0, count=32, scale="log"),
        ),
        measures=names,
    )
    made = plan.replace(results=spread.compute(yard, plan))
    FILE.write_text(yard_json.dumps(yard.replace(spreads=(made,))), encoding="utf-8")


if __name__ == "__main__":
    main()
