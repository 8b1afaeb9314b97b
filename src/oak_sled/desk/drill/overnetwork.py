"""The network of the drill on the bench: begun and ended from a menu, its choices and dials among the numbers."""

from __future__ import annotations

from collections.abc import Callable
from typing import get_args

from PyQt6.QtWidgets import QMenu

from oak_sled.core.yard.network import Network
from oak_sled.desk.drawing.numberpanel import NumberPanel
from oak_sled.desk.drill.channelpaint import Pick
from oak_sled.desk.drill.targets import Targets
from oak_sled.desk.work.session import Session

SEEN_BY = {"others": "See it as others do, over a network", "driver": "See it as its driver does, over a network"}
SAYS = {
    "seen_by": "whose copy is seen",
    "authority": "who decides where it is",
    "correct": "how a packet corrects it",
    "hits": "whose side decides pokes",
}
"""The choices of a network, in words."""


class OverNetwork:
    """The acts that a page offers about the network of its drill. choose : selects something on the page."""

    def __init__(self, session: Session, targets: Targets, choose: Callable[[Pick], None]):
        self.session, self.targets, self.choose = session, targets, choose

    def fill(self, menu: QMenu) -> None:
        """Begins to see the drill over a network, or what may be done about the one there is."""
        if self.session.drill.network is None:
            for seen_by, words in SEEN_BY.items():
                menu.addAction(words, lambda seen_by=seen_by: self.see(Network(seen_by=seen_by)))
            return
        menu.addAction("Its numbers", lambda: self.choose(Pick("network")))
        menu.addAction("A target: no large jump", lambda: self.targets.add("largest_jump", "at most"))
        menu.addAction("See it without a network", lambda: self.see(None))

    def see(self, network: Network | None) -> None:
        """The drill is seen over a network from now on, or no longer."""
        label = "see it over a network" if network is not None else "see it without a network"
        self.session.edit(f"drills.{self.session.drill.id}.network", network, label)
        self.choose(Pick("network" if network is not None else ""))

    def show(self, numbers: NumberPanel, path: str, item: Network) -> None:
        """Puts its choices and its dials on the column of numbers; those that do nothing now are left out."""
        numbers.add_title("Over a network")
        for name, says in SAYS.items():
            numbers.add_choice(path, name, get_args(Network.model_fields[name].annotation), says)
        left = {"blend"} if item.correct == "snap" else set()
        if item.authority == "driver":
            left.add("buffer")
        numbers.add_dials(item, path, lambda name: name not in left)
        numbers.add_note("traces: copy off, jump, corrections; measures: largest jump, corrections a second")
        numbers.add_button("see it without a network", "nothing lies between", lambda: self.see(None))
        numbers.add_button("the whole drill", "its end and its start", lambda: self.choose(Pick("")))
