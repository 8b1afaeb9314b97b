"""Units in use: numbers are told as the game of the open yard has them, or in SI again."""

from __future__ import annotations

from typing import Protocol

from PyQt6.QtCore import QObject, pyqtBoundSignal, pyqtSignal

from oak_sled.core.base import units
from oak_sled.core.yard.yard import Yard


class _Owner(Protocol):
    yard: Yard

    @property
    def yard_changed(self) -> pyqtBoundSignal: ...


class UnitsInUse(QObject):
    """Follows the yard of a session, before what is shown does. Signals: changed() as what is shown has to be told
    anew."""

    changed = pyqtSignal()

    def __init__(self, session: _Owner, parent: QObject):
        super().__init__(parent)
        self._session, self._told_in = session, session.yard.game
        units.use(self._told_in.display())
        session.yard_changed.connect(self._follow)

    def _follow(self) -> None:
        game, before = self._session.yard.game, self._told_in
        self._told_in = game
        if game is not before and game != before:
            units.use(game.display())
            if game.used or before.used:
                self.changed.emit()
