"""A word of feel from a blind comparison: bands that part the craft that was found to be more so from the other."""

from __future__ import annotations

from collections.abc import Mapping

from oak_sled.core.base import document
from oak_sled.core.base.faults import refuse
from oak_sled.core.feel import quantities
from oak_sled.core.yard.wish import MOST_BANDS, Wish

FELT = 0.5
"""Differences that are felt, as counted by a quantity, from which on two crafts are parted by it."""
MOST_WEIGHT = 4.0


def wish_of(
    word: str, more: Mapping[str, float | None], less: Mapping[str, float | None], sure: float, title: str = ""
) -> Wish:
    """The word, made of what parts two crafts. more, less : quantities of the one that was found to be more so and of
    the other. sure : of the rating. Raises `Refused` where nothing that is measured parts them."""
    bands = []
    for one in quantities.QUANTITIES:
        high, low = more.get(one.name), less.get(one.name)
        if high is None or low is None:
            continue
        apart = (high - low) / one.size
        if abs(apart) < FELT:
            continue
        middle, fade = 0.5 * (high + low), 0.5 * abs(high - low)
        end = "low" if high > low else "high"
        bands.append({
            "quantity": one.name, end: float(f"{middle + (0.5 * fade if high > low else -0.5 * fade):.3g}"),
            "fade": float(f"{fade:.3g}"), "weight": round(min(abs(apart), MOST_WEIGHT), 2),
            "why": f"{high:.3g} of the one that was found to be more so, {low:.3g} of the other",
        })  # fmt: skip
    if not bands:
        raise refuse(word, "nothing that is measured parts the two crafts", "two crafts that drive otherwise")
    bands = sorted(bands, key=lambda band: -float(str(band["weight"])))[:MOST_BANDS]
    fields = {
        "id": word, "title": title, "bands": bands,
        "says": f"as it was found by hands that did not know which they drove (sure by {100.0 * sure:.0f} %)",
    }  # fmt: skip
    made: Wish = document.checked(Wish, fields, "wish", None)
    return made
