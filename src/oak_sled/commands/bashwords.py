"""Words of a bash line that is completed: bash parts them at colons, and `demo:NAME` has one."""

from __future__ import annotations

import contextlib
import io
import os
from collections.abc import Callable

SHELL = "_OAK_SLED_COMPLETE"
DEMO = "demo"


def joined(words: list[str], at: int) -> tuple[list[str], int, bool]:
    """Words with each `demo`, `:`, NAME made one again, the place of the word that is completed, and whether that one
    was parted: its completions are then those of what follows the colon."""
    found: list[str] = []
    place, parted, k = at, False, 0
    while k < len(words):
        if words[k] == DEMO and words[k + 1 : k + 2] == [":"]:
            whole = words[k : k + 3]
            if k <= at <= k + 2:
                place, parted = len(found), at > k
            elif at > k + 2:
                place -= len(whole) - 1
            found.append("".join(whole))
            k += len(whole)
        else:
            found.append(words[k])
            k += 1
    return found, place, parted


def completing(ask: Callable[[], int]) -> int:
    """Asks for completions; where bash asks, with the words of its line put together first."""
    if os.environ.get(SHELL) != "complete_bash" or "\n" not in os.environ.get("COMP_WORDS", ""):
        return ask()
    words, place, parted = joined(os.environ["COMP_WORDS"].split("\n"), int(os.environ.get("COMP_CWORD", "0")))
    os.environ["COMP_WORDS"], os.environ["COMP_CWORD"] = "\n".join(words), str(place)
    said = io.StringIO()
    try:
        with contextlib.redirect_stdout(said):
            return ask()
    finally:  # it ends by an exit
        for line in said.getvalue().splitlines():
            print(line.removeprefix(f"{DEMO}:") if parted else line)
