"""Games at the other end of the link, and what is said with each: the same over every way.

All that comes in stands in one bounded queue, in its order; all that goes out is the newest of each number, so that no
slow reader holds anything up. Nothing that a game sends can do more than be refused.
"""

from __future__ import annotations

import asyncio
import hmac
import threading
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field

from oak_sled.core.base.faults import Refused
from oak_sled.core.link import messages
from oak_sled.core.link.messages import Message

MOST_GAMES, MOST_WAITING = 8, 4096
"""Games at once; messages that wait to be taken."""


@dataclass(eq=False)
class Game:
    """A game at the other end. name : as it calls itself; hello : its first message, None until it came."""

    way: str
    peer: str
    hello: messages.Hello | None = None
    last_tick: int = -1
    wanted: str | tuple[str, ...] = "all"
    pending: dict[str, float] = field(default_factory=dict)
    heard: float = 0.0
    wake: asyncio.Event = field(default_factory=asyncio.Event)
    notes: deque[Message] = field(default_factory=lambda: deque(maxlen=64))

    @property
    def name(self) -> str:
        """As it is told to the user."""
        return self.hello.name if self.hello is not None else self.peer


@dataclass(frozen=True)
class Event:
    """Something that came in. what : "joined", "left", "refused", or "message"; why : in words, where there is any."""

    game: Game
    what: str
    message: Message | None = None
    why: str = ""


class Over(Exception):
    """The end of a connection. told : the last message that the game gets."""

    def __init__(self, why: str, told: Message | None = None):
        super().__init__(why)
        self.told = told


class Conversations:
    """Games that are there, and what they are told. In the thread of the link, but for `take`. token : the one that a
    game has to show; on_event : called when something came in."""

    def __init__(self, token: str, on_event: Callable[[], object], clock: Callable[[], float]):
        self.token, self.on_event, self.clock = token, on_event, clock
        self.lost = 0
        """Messages that were dropped since nobody took them."""
        self.craft, self.ticks = "", 0.0
        self.numbers: dict[str, float] = {}
        self.lock = threading.Lock()
        self.there: list[Game] = []
        self.events: deque[Event] = deque()
        self._serial = 0

    def take(self) -> list[Event]:
        """All that came in since it was asked last, in its order; from any thread."""
        with self.lock:
            found, self.events = list(self.events), deque()
        return found

    def _note(self, event: Event) -> None:
        with self.lock:
            if len(self.events) >= MOST_WAITING:
                self.events.popleft()
                self.lost += 1
            self.events.append(event)
        self.on_event()

    def turn(self, turned: dict[str, float]) -> None:
        for game in self.there:
            if game.hello is not None:
                game.pending |= {name: value for name, value in turned.items() if wants(game, name)}
                if game.pending:
                    game.wake.set()

    def enter(self, game: Game) -> None:
        if len(self.there) >= MOST_GAMES:
            raise Over("there are too many games", messages.Refused(what="too many games", right="end one of them"))
        game.heard = self.clock()
        self.there.append(game)

    def leave(self, game: Game, why: str) -> None:
        if game in self.there:
            self.there.remove(game)
            if game.hello is not None:
                self._note(Event(game, "left", None, why))

    def hear(self, game: Game, data: bytes | str) -> None:
        """Takes one message of a game; raises `Over` where it ends."""
        game.heard = self.clock()
        try:
            message = messages.decoded(data)
        except Refused as wrong:
            fault = wrong.faults[0]
            self._refuse(game, f"{fault.where}: {fault.what}", fault.right)
            if game.hello is None:
                raise Over("it does not speak the protocol") from None
            return
        if game.hello is None:
            self._greet(game, message)
        elif isinstance(message, messages.Bye):
            raise Over(message.why or "it said goodbye")
        elif isinstance(message, messages.Subscribe):
            self._subscribe(game, message.dials)
        elif isinstance(message, messages.Telemetry):
            if 0 < message.tick <= game.last_tick:
                self._refuse(game, f"telemetry.tick: {message.tick} after {game.last_tick}", "ticks that grow; 0: anew")
                return
            game.last_tick = message.tick
            self._note(Event(game, "message", message))
        else:
            self._refuse(game, "hello: a second one", "telemetry, subscribe or bye")

    def _greet(self, game: Game, message: Message) -> None:
        if not isinstance(message, messages.Hello):
            told = messages.Refused(what="the first message is no hello", right='{"type": "hello", "version": 1, ...}')
            raise Over("it did not say hello", told)
        if message.version != messages.VERSION:
            what = f"hello.version: {message.version} is not spoken here"
            raise Over(what, messages.Refused(what=what, right=f"version {messages.VERSION}"))
        if not hmac.compare_digest(message.token.encode(), self.token.encode()):
            self._note(Event(game, "refused", None, "a wrong token"))
            raise Over("a wrong token", messages.Refused(what="hello.token: a wrong token", right="that of the bench"))
        game.hello = message
        with self.lock:
            craft, ticks = self.craft, self.ticks
        game.notes.append(messages.Welcome(craft=craft, ticks_per_second=ticks, numbers={}))
        self._note(Event(game, "joined", message))
        self._subscribe(game, message.dials)

    def _subscribe(self, game: Game, dials: str | tuple[str, ...]) -> None:
        with self.lock:
            known = dict(self.numbers)
        strange = [name for name in dials if name not in known] if dials != "all" else []
        game.wanted = dials
        game.pending = {name: value for name, value in known.items() if wants(game, name)}
        for name in strange[:3]:
            self._refuse(game, f"dials: there is no {name}", "names of numbers.json")
        game.wake.set()

    def _refuse(self, game: Game, what: str, right: str) -> None:
        game.notes.append(messages.Refused(what=what[:300], right=right[:300]))
        game.wake.set()
        self._note(Event(game, "refused", None, what))

    def outgoing(self, game: Game) -> list[Message]:
        """All that a game is to be told now."""
        found: list[Message] = []
        while game.notes:
            note = game.notes.popleft()
            if isinstance(note, messages.Welcome):
                note = note.model_copy(update={"numbers": dict(game.pending)})
                game.pending = {}
            found.append(note)
        if game.pending:
            self._serial += 1
            found.append(messages.Dials(serial=self._serial, numbers=game.pending))
            game.pending = {}
        return found


def wants(game: Game, name: str) -> bool:
    """True if a game asked to be told of a number."""
    return game.wanted == "all" or name in game.wanted
