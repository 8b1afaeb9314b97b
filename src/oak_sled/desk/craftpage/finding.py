"""Something about the bench that takes a moment: found beside the window, one at a time, and kept while it holds."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from oak_sled.desk.work.background import OnProgress, Task
from oak_sled.desk.work.session import Session


class Finding:
    """Finds one answer at a time; what was asked for last is found when the one before is done."""

    def __init__(self, session: Session, words: str, work: Callable[[tuple[Any, ...], OnProgress], Any]):
        self.session, self._words, self._work = session, words, work
        self.then: Callable[[], object] = lambda: None
        """Called whenever an answer has come."""
        self._asked: tuple[Any, ...] | None = None
        self._finding = False
        self.answer: Any = None
        """The last that was found; None where it was refused."""

    def ask(self, wanted: tuple[Any, ...]) -> bool:
        """True if the answer for what is wanted is there; if not, it is being found."""
        if self._asked is not None and all(a is b or a == b for a, b in zip(self._asked, wanted, strict=True)):
            return True
        self._find(wanted)
        return False

    def _find(self, wanted: tuple[Any, ...]) -> None:
        if self._finding or self.session.is_previewing:
            return
        self._finding = True

        def done(answer: Any) -> None:
            self._finding, self._asked, self.answer = False, wanted, answer
            self.then()

        def refused(_: object) -> None:
            done(None)

        work = lambda tell: self._work(wanted, tell)  # noqa: E731
        self.session.background.add(Task(self._words, work, done, refused, quiet=True))
