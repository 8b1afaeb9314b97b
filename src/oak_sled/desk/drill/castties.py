"""Ties between those who take part in a drill, on the Drill page."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QMenu

from oak_sled.core.assembly import bodynames
from oak_sled.core.yard import casting
from oak_sled.core.yard.bogie import Bogie
from oak_sled.core.yard.hinge import BALL, Cone
from oak_sled.core.yard.tie import Tie
from oak_sled.core.yard.ties import TIES
from oak_sled.desk.drawing.numberpanel import NumberPanel, choices_of
from oak_sled.desk.drill.channelpaint import Pick
from oak_sled.desk.drill.channelstrips import ChannelStrips
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.session import Session


class CastTies:
    """The ties that couple crafts at the start of the drill on the bench: a menu of them, and the numbers of one."""

    def __init__(self, session: Session, strips: ChannelStrips):
        self.session, self.strips = session, strips

    def tie(self, name: str) -> Tie | None:
        """The tie of that name; None where there is none."""
        return next((one for one in self.session.drill.ties if one.id == name), None)

    def words(self) -> str:
        """The number of them, in words."""
        count = len(self.session.drill.ties)
        return f"ties of its crafts: {count or 'none'}"

    def fill(self, menu: QMenu) -> None:
        """The ties that are there, to be selected; and for each kind, every two bodies that it may tie."""
        menu.clear()
        session = self.session
        for tie in session.drill.ties:
            words = f"{tie.heading}: {tie.TITLE}, {tie.one} to {tie.other or 'the world'}".replace("_", " ")
            menu.addAction(theme.in_menu(words), partial(self.strips.choose, Pick("tie", tie.id)))
        menu.addSeparator()
        actors = session.job().actors
        if len(actors) < 2:
            action = menu.addAction("a second craft first: craft, takes part in this drill")
            if action is not None:
                action.setEnabled(False)
            return
        kinds: list[tuple[str, type[Tie], dict[str, float]]] = [("ball joint", Cone, BALL)]
        kinds += [(one.TITLE, one, {}) for one in TIES if one is not Bogie]
        for words, kind, more in kinds:
            inner = menu.addMenu(words)
            assert inner is not None
            for a in range(len(actors)):
                for b in range(len(actors)):
                    if actors[a].lead != actors[b].lead:
                        pair = f"{actors[a].craft.heading} to {actors[b].craft.heading}"
                        inner.addAction(theme.in_menu(pair), partial(self.add, kind, a, b, **more))

    def add(self, kind: type[Tie], one: int, other: int, **more: float) -> None:
        """Ties two bodies, by their numbers among those who take part, and selects the tie. more : fields of it."""
        session = self.session
        actors = session.job().actors
        first, second = actors[one], actors[other]
        whole = session.drill if session.drill.craft else session.drill.replace(craft=actors[0].whole.id)
        made, name = casting.tied(whole, kind, (first.craft, first.start), (second.craft, second.start), **more)
        drills = tuple(made if old.id == made.id else old for old in session.yard.drills)
        session.attempt(
            lambda: session.yard.replace(drills=drills), f"tie {first.craft.heading} to {second.craft.heading}"
        )
        self.strips.choose(Pick("tie", name))

    def remove(self, name: str) -> None:
        """Takes a tie off."""
        path = f"drills.{self.session.drill.id}.ties"
        left = tuple(one for one in self.session.drill.ties if one.id != name)
        self.session.edit(path, left, f"remove {name.replace('_', ' ')}")
        self.strips.choose(Pick(""))

    def show(self, numbers: NumberPanel, path: str, tie: Tie) -> None:
        """The numbers of a tie: what it ties, its choices and its dials."""
        session = self.session
        numbers.add_title(tie.heading.capitalize())
        numbers.add_note(f"{tie.TITLE}: places in the axes of each craft, from its origin, at the start")
        bodies = list(bodynames.solid_numbers(session.job()))
        numbers.add_choice(path, "one", bodies, "the first body")
        numbers.add_choice(path, "other", ["", *bodies], "the body it is tied to", "the world")
        for name, options, says in choices_of(tie):
            if len(options) > 1:
                numbers.add_choice(path, name, options, says)
        for name, field in type(tie).model_fields.items():
            if name.endswith("channel"):
                channels = ["", *(one.id for one in session.job().actors[0].channels)]
                numbers.add_choice(path, name, channels, field.description or "")
        numbers.add_dials(tie, path)
        numbers.add_button("remove this tie", "take it off the drill", partial(self.remove, tie.id))
        numbers.add_button("the whole drill", "its end and its start", lambda: self.strips.choose(Pick("")))
