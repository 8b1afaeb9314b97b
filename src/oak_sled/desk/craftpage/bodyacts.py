"""Further bodies and the ties between them, added, named and removed on the Build page."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtWidgets import QMenu

from oak_sled.core.advice import jointed
from oak_sled.core.base.faults import Refused
from oak_sled.core.project import limbs
from oak_sled.core.yard import singles
from oak_sled.core.yard.bogie import Bogie
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.hinge import BALL, Cone, Driven
from oak_sled.core.yard.limb import Limb
from oak_sled.core.yard.tie import Tie
from oak_sled.core.yard.ties import TIES as KINDS
from oak_sled.desk.craftpage.buildplan import BODIES, TIES, BuildPlan
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.session import Session


class BodyActs:
    """The menu of bodies and ties, and what it does. Each is one step of history."""

    def __init__(self, session: Session, plan: BuildPlan):
        self.session, self.plan = session, plan

    @property
    def craft(self) -> Craft:
        """The craft on the bench."""
        return self.session.craft

    def fill(self, menu: QMenu) -> None:
        """All bodies and ties of the craft, to be selected; and what can be added."""
        menu.clear()
        craft = self.craft
        menu.addAction("body: shape, mass, held axes", lambda: self.plan.choose(""))
        for limb in craft.bodies:
            menu.addAction(theme.in_menu(limb.heading), partial(self.plan.choose, BODIES + limb.id))
        menu.addSeparator()
        for tie in craft.ties:
            words = f"{tie.heading}: {tie.TITLE}, {tie.one} to {tie.other}".replace("_", " ")
            menu.addAction(theme.in_menu(words), partial(self.plan.choose, TIES + tie.id))
        menu.addSeparator()
        for kind, says in limbs.KINDS.items():
            article = "an" if kind[0] in "aeiou" else "a"
            menu.addAction(f"add {article} {kind.replace('_', ' ')}: {says}", partial(self.add, kind))
        inner = menu.addMenu("tie the selected body to the first one")
        assert inner is not None
        inner.addAction("ball joint", partial(self.tie, Cone, **BALL))
        for one in KINDS:
            if one is not Bogie:
                inner.addAction(one.TITLE, partial(self.tie, one))

    def _change(self, made: Callable[[], Craft], label: str) -> bool:
        session = self.session
        return bool(session.attempt(lambda: session.yard.edit(session.craft_path, made()), label))

    def add(self, kind: str) -> None:
        """Adds one more body, with what holds it, and selects it."""
        craft, name = limbs.added(self.craft, kind)
        if self._change(lambda: craft, f"add a {kind.replace('_', ' ')}"):
            self.plan.choose(BODIES + name)

    def tie(self, kind: type[Tie], **more: Any) -> None:
        """Ties the selected further body to the first one, and selects the tie. more : fields of it."""
        limb = self.plan.limb() or next(iter(self.craft.bodies), None)
        try:
            craft, name = limbs.tied(self.craft, kind, "" if limb is None else limb.id, **more)
        except Refused as refused:
            self.session.say(refused.faults[0].what + ": " + refused.faults[0].right, True)
            return
        if self._change(lambda: craft, f"add {kind.TITLE}"):
            self.plan.choose(TIES + name)

    def remove(self) -> bool:
        """Takes the selected body or tie off; False where none is selected."""
        chosen, craft, tie = self.plan.chosen, self.craft, self.plan.tie()
        if tie is not None:
            left = craft.replace(ties=tuple(one for one in craft.ties if one.id != tie.id))
        elif chosen.startswith(BODIES):
            left = limbs.without(craft, chosen.removeprefix(BODIES))
        else:
            return False
        yard = self.session.yard
        crafts = tuple(left if one.id == left.id else one for one in yard.crafts)
        self.session.change(yard.without(crafts=crafts), f"remove {self.plan.heading(chosen)}")
        self.plan.choose("")
        return True

    def rename(self, old: str, new: str) -> bool:
        """Gives the selected body or tie another name; what refers to it follows."""
        act = limbs.renamed_in if old.startswith(BODIES) else limbs.tie_renamed_in
        front = BODIES if old.startswith(BODIES) else TIES
        session, name = self.session, self.craft.id
        label = f"rename {self.plan.heading(old)}"
        if not session.attempt(lambda: act(session.yard, name, old.removeprefix(front), new), label):
            return False
        self.plan.choose(front + new)
        return True

    def fields_of(self, item: Any, name: str) -> tuple[str, ...] | None:
        """The choices of a field of a part or a tie that names a body or a channel; None for any other."""
        craft = self.craft
        if isinstance(item, Tie):
            if name in ("one", "other"):
                return (singles.FIRST, *(one.id for one in craft.bodies))
            return ("", *(one.id for one in craft.channels)) if name.endswith("channel") else None
        return ("", *(one.id for one in craft.bodies)) if name == "carried_by" and craft.bodies else None

    def told_of(self, item: Limb | Tie) -> tuple[str, ...]:
        """The outlook of a tie of the craft."""
        return jointed.of_craft(self.craft, item, self.session.ground) if isinstance(item, Driven) else ()
