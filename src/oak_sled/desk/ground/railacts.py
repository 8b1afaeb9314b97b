"""Rails placed and bodies put on them by hand on the Ground page, and their knots from and to files."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QMenu

from oak_sled.core.advice import onrails
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import rail_csv
from oak_sled.core.project import railing
from oak_sled.core.project.railing import Side
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.bogie import Bogie
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.naming import free_name
from oak_sled.core.yard.rail import Rail
from oak_sled.desk.ground.groundplan import GroundPlan
from oak_sled.desk.ground.tieacts import change_ground
from oak_sled.desk.work import folders
from oak_sled.desk.work.session import Session

WAYS: tuple[tuple[str, int, Side], ...] = (
    ("on it, with one bogie", 1, "on"),
    ("on it, with two bogies", 2, "on"),
    ("hung under it, free to swing", 1, "under"),
)
"""Ways to put a block on a rail: words, bogies, side."""
CARS = (2, 4, 8)


class RailActs:
    """Places rails on the ground that a plan shows, and bodies on rails. Each is one step of history."""

    def __init__(self, session: Session, plan: GroundPlan):
        self.session, self.plan = session, plan

    def fill(self, menu: QMenu) -> None:
        """Entries for new rails, for what is put on one, and for files; filled anew whenever it opens."""
        inner = menu.addMenu("rail: a line that bodies run along")
        assert inner is not None
        inner.aboutToShow.connect(lambda: self.refill(inner))
        self.refill(inner)

    def refill(self, menu: QMenu) -> None:
        """The entries for the rails that are there now."""
        menu.clear()
        menu.addAction("an open one", partial(self.add, railing.line))
        menu.addAction("a closed one", partial(self.add, railing.ring))
        menu.addAction("from a CSV file...", self.ask_file)
        for rail in self.session.ground.rails:
            inner = menu.addMenu(f"on {rail.heading}")
            assert inner is not None
            for words, bogies, side in WAYS:
                inner.addAction(f"put the selected dynamic block {words}", partial(self.put_on, rail.id, bogies, side))
            for count in CARS:
                words = f"lay {count} more like the selected block behind it, coupled"
                inner.addAction(words, partial(self.lay_cars, rail.id, count))
            inner.addAction("put the craft under test on it", partial(self.put_craft_on, rail.id))
            inner.addAction("save its knots as CSV...", partial(self.ask_save, rail.id))

    def add(self, make: Callable[[str, float, float], Rail]) -> None:
        """Places a rail in the middle of what is seen."""
        x, y = self.plan.place(self.plan.box().center())
        self._take(make(free_name("rail", self.session.ground.rails), round(x, 1), round(y, 1)), "place rail")

    def _take(self, rail: Rail, label: str) -> None:
        ground = self.session.ground
        change_ground(self.session, ground.replace(rails=(*ground.rails, rail)), label)
        self.plan.choose([f"rails.{rail.id}"])

    def ask_file(self) -> None:
        """Asks for a file with knots."""
        name, _ = QFileDialog.getOpenFileName(None, "Knots of a rail", folders.begin(self.session), "CSV (*.csv)")
        if name:
            self.read(Path(name))

    def read(self, file: Path) -> None:
        """Places a rail through the knots in a file."""
        try:
            knots = rail_csv.load(file)
            rail = Rail(id=free_name(file.stem or "rail", self.session.ground.rails), knots=knots)
        except Refused as refused:
            self.session.say(str(refused.faults[0]), True)
            return
        except ValueError as error:
            self.session.say(f"{file.name}: {str(error).split('Value error, ')[-1].split(' [type')[0]}", True)
            return
        self._take(rail, f"rail from {file.name}")

    def ask_save(self, name: str) -> None:
        """Asks where to write the knots of a rail."""
        begin = str(Path(folders.begin(self.session)) / f"{name}.csv")
        file, _ = QFileDialog.getSaveFileName(None, "Knots of a rail", begin, "CSV (*.csv)")
        if file:
            rail_csv.save(next(one for one in self.session.ground.rails if one.id == name), Path(file))

    def _selected(self) -> Block | None:
        blocks = [item for _, item in self.plan.in_hand() if isinstance(item, Block) and item.moves == "free"]
        if not blocks:
            self.session.say("a rail takes a dynamic block: select it first", True)
            return None
        return blocks[0]

    def _change(self, made: Callable[[], Ground], label: str) -> None:
        try:
            ground = made()
        except Refused as refused:
            self.session.say(str(refused.faults[0]), True)
            return
        change_ground(self.session, ground, label)

    def put_on(self, rail: str, bogies: int, side: Side) -> None:
        """Puts the selected dynamic block on a rail, where that passes it nearest."""
        block = self._selected()
        if block is not None:
            ground = self.session.ground
            self._change(lambda: railing.put_on(ground, block.id, rail, bogies, side), f"put {block.id} on {rail}")
            on = [one for one in self.session.ground.ties if isinstance(one, Bogie) and one.one == block.id]
            if on and onrails.rests(self.session.ground, on[-1]):
                self.session.say(f"nothing moves {block.id} yet: give it a speed, or its bogie a channel (click it)")

    def lay_cars(self, rail: str, count: int) -> None:
        """Puts the selected dynamic block on a rail, and so many more behind it, coupled."""
        block = self._selected()
        if block is not None:
            ground = self.session.ground
            self._change(lambda: railing.lay_cars(ground, block.id, count, rail), f"lay {count + 1} on {rail}")

    def put_craft_on(self, rail: str) -> None:
        """Puts the start of the craft under test on a rail, with a bogie."""
        session = self.session
        ground, start = railing.put_craft_on(session.ground, session.craft.id, session.seen_drill.start, rail)
        yard = session.yard
        grounds = tuple(ground if old.id == ground.id else old for old in yard.grounds)
        moved = yard.replace(grounds=grounds).edit(f"drills.{yard.bench.drill}.start", start)
        session.change(moved, f"put {session.craft.id} on {rail}")
