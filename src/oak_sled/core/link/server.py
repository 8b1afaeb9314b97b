"""The bench's side of the live link: TCP and UDP with JSON lines, WebSocket for pages, in a thread of its own."""

from __future__ import annotations

import asyncio
import contextlib
import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from oak_sled.core.base.faults import Refused, refuse
from oak_sled.core.link import doors, messages
from oak_sled.core.link.games import Conversations, Event, Game, Over, wants
from oak_sled.core.link.messages import Message

PORT = 47310
"""Of TCP and UDP; WebSocket has the next."""
MOST_UNREAD = 1 << 20
"""Bytes that a game may leave unread."""
GOODBYE_S = 1.0
"""At most, until all games were told of the end."""
GREETING_S, SILENT_S, REPEAT_S = 5.0, 5.0, 1.0
"""Until a hello has to come; after which a game over UDP counts as gone; between repeats of all numbers over UDP."""


@dataclass(frozen=True)
class Settings:
    """Place where the link listens. port : that of TCP and UDP, WebSocket has the next; 0: free ones. token : what a
    game has to show; "" for none, which only a host of this machine may have."""

    host: str = "127.0.0.1"
    port: int = PORT
    token: str = ""

    def check(self) -> None:
        """Raises `Refused` for what would open the bench to others without a token, or is no port."""
        if not 0 <= self.port <= 65534:
            raise refuse("port", f"{self.port} is none", "0 to 65534")
        if not self.token and not doors.is_local(self.host):
            raise refuse("token", f"{self.host} can be reached from other machines", "a token, or the host 127.0.0.1")
        if self.token and len(self.token) < 8:
            raise refuse("token", "is too short to keep anybody out", "at least 8 letters")


class Server:
    """Listens in a thread of its own; every method may be called from any thread. on_event : called in that thread
    when something came in, to be taken by `take`."""

    def __init__(self, settings: Settings, on_event: Callable[[], object] = lambda: None):
        settings.check()
        self.settings = settings
        self.ports: dict[str, int] = {}
        self.page = ""
        """The page that a browser gets on the port for pages: a game with the code of the craft."""
        self._udp: dict[Any, Game] = {}
        self._transport: asyncio.DatagramTransport | None = None
        self._loop = asyncio.new_event_loop()
        self.said = Conversations(settings.token, on_event, self._loop.time)
        self._stopping = asyncio.Event()
        self._thread = threading.Thread(target=self._run, name="live link", daemon=True)
        self._started: threading.Event = threading.Event()
        self._fault: Refused | None = None
        self._goodbye: asyncio.Task[None] | None = None

    # from other threads

    def start(self) -> None:
        """Listens; raises `Refused` where a port is taken."""
        self._thread.start()
        self._started.wait()
        if self._fault is not None:
            self._thread.join()
            raise self._fault

    def close(self, why: str = "the bench was closed") -> None:
        """Says goodbye to every game, and ends."""
        if not self._thread.is_alive():
            return

        def stop() -> None:
            self._goodbye = self._loop.create_task(self._stop(why))

        self._loop.call_soon_threadsafe(stop)
        self._thread.join()

    def show(self, craft: str, ticks: float, numbers: dict[str, float]) -> None:
        """The craft that games are told of, and its numbers; those that changed go out."""
        said = self.said
        with said.lock:
            turned = {name: value for name, value in numbers.items() if said.numbers.get(name) != value}
            said.craft, said.ticks, said.numbers = craft, ticks, dict(numbers)
        if turned and self._thread.is_alive():
            self._loop.call_soon_threadsafe(said.turn, turned)

    def say_anew(self, why: str) -> None:
        """Tells every game that its code is of another craft by now."""

        def tell() -> None:
            for game in self.said.there:
                game.notes.append(messages.Anew(why=why))
                game.wake.set()

        self._loop.call_soon_threadsafe(tell)

    def take(self) -> list[Event]:
        """All that came in since it was asked last, in its order."""
        return self.said.take()

    @property
    def games(self) -> tuple[Game, ...]:
        """Games that said hello and are there."""
        return tuple(game for game in self.said.there if game.hello is not None)

    # in its own thread

    async def _stop(self, why: str) -> None:
        """Says goodbye, waits a moment until that is sent, and ends."""
        told = list(self.said.there)
        for game in told:
            game.notes.append(messages.Bye(why=why))
            game.wake.set()
        end = self._loop.time() + GOODBYE_S
        while any(game.notes for game in told) and self._loop.time() < end:
            await asyncio.sleep(0.005)
        await asyncio.sleep(0.02)
        self._stopping.set()

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        try:
            self._loop.run_until_complete(self._listen())
        finally:
            with contextlib.suppress(RuntimeError):
                left = asyncio.all_tasks(self._loop)
                for task in left:
                    task.cancel()
                self._loop.run_until_complete(asyncio.gather(*left, return_exceptions=True))
                self._loop.run_until_complete(asyncio.sleep(0.01))  # what was closed is let go in the next rounds
                self._loop.run_until_complete(self._loop.shutdown_asyncgens())
            self._loop.close()

    async def _listen(self) -> None:
        from websockets.asyncio.server import serve  # only where a link is wanted

        host, port = self.settings.host, self.settings.port
        async with contextlib.AsyncExitStack() as stack:
            try:
                tcp = await asyncio.start_server(self._over_tcp, host, port, limit=messages.MOST_BYTES)
                stack.push_async_callback(_closed, tcp)
                bound = tcp.sockets[0].getsockname()[1]
                self._transport, _ = await self._loop.create_datagram_endpoint(
                    lambda: _Datagrams(self), local_addr=(host, bound)
                )
                stack.callback(self._transport.close)
                paged = await stack.enter_async_context(
                    serve(
                        self._over_web, host, bound + 1 if port else 0, max_size=messages.MOST_BYTES, max_queue=16,
                        open_timeout=GREETING_S, close_timeout=1.0,
                        process_request=lambda line, asked: doors.answered(line, asked, self.settings.token, self.page),
                    )
                )  # fmt: skip
            except OSError as error:
                self._fault = refuse(
                    f"port {port}", f"cannot be listened on: {(error.strerror or str(error)).lower()}",
                    "another port, or 0 for a free one",
                )  # fmt: skip
                self._started.set()
                return
            self.ports = {"tcp": bound, "udp": bound, "web": next(iter(paged.sockets)).getsockname()[1]}
            watch = self._loop.create_task(self._watch_silent())
            self._started.set()
            await self._stopping.wait()
            watch.cancel()

    # TCP

    async def _over_tcp(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        game = Game("tcp", _peer(writer.get_extra_info("peername")))

        async def send(message: Message) -> None:
            if writer.transport.get_write_buffer_size() > MOST_UNREAD:
                raise Over("it does not read what it is told")
            writer.write(messages.encoded(message))
            await asyncio.sleep(0)

        async def receive() -> bytes | None:
            try:
                line = await reader.readline()
            except ValueError:
                told = messages.Refused(what=f"more than {messages.MOST_BYTES} bytes", right="one JSON object a line")
                raise Over("a line that is too long", told) from None
            return line or None

        # a server that ends cancels this, and would report it as a fault
        with contextlib.suppress(OSError, asyncio.CancelledError):
            try:
                await self._talk(game, receive, send)
            finally:
                writer.close()
            await writer.wait_closed()

    async def _over_web(self, socket: Any) -> None:
        from websockets.exceptions import ConnectionClosed

        game = Game("web", _peer(socket.remote_address))

        async def send(message: Message) -> None:
            if socket.transport.get_write_buffer_size() > MOST_UNREAD:
                raise Over("it does not read what it is told")
            await socket.send(messages.encoded(message).decode().rstrip("\n"))

        async def receive() -> bytes | str | None:
            try:
                data: bytes | str = await socket.recv()
            except ConnectionClosed:
                return None
            return data

        with contextlib.suppress(ConnectionClosed):
            await self._talk(game, receive, send)

    async def _talk(self, game: Game, receive: Callable[[], Any], send: Callable[[Message], Any]) -> None:
        """A conversation over a stream, to its end."""
        why, last = "the connection ended", None

        async def tell() -> None:
            while True:
                await game.wake.wait()
                game.wake.clear()
                for message in self.said.outgoing(game):
                    await send(message)

        teller = self._loop.create_task(tell())
        try:
            self.said.enter(game)
            while True:
                wait = GREETING_S if game.hello is None else None
                listener = self._loop.create_task(receive())
                done, _ = await asyncio.wait({listener, teller}, timeout=wait, return_when=asyncio.FIRST_COMPLETED)
                if listener not in done:
                    listener.cancel()
                    with contextlib.suppress(asyncio.CancelledError, OSError):
                        await listener
                    if teller in done:
                        teller.result()
                    raise Over("it did not say hello in time")
                data = listener.result()
                if data is None:
                    break
                if data.strip():
                    self.said.hear(game, data)
        except Over as over:
            why, last = str(over), over.told
        except OSError as error:
            why = (error.strerror or str(error)).lower()
        finally:
            teller.cancel()
            self.said.leave(game, why)
            with contextlib.suppress(Exception):
                for message in (*self.said.outgoing(game), *((last,) if last is not None else ())):
                    await send(message)

    # UDP

    def _over_udp(self, data: bytes, address: Any) -> None:
        game = self._udp.get(address)
        last: Message | None = None
        try:
            if game is None:
                game = Game("udp", _peer(address))
                self.said.enter(game)
                self._udp[address] = game
                self._loop.create_task(self._tell_udp(game, address))
            self.said.hear(game, data)
        except Over as over:
            last = over.told
            self._drop_udp(address, str(over), last)

    def _drop_udp(self, address: Any, why: str, last: Message | None = None) -> None:
        game = self._udp.pop(address, None)
        if game is not None:
            self._send_udp(game, address)
            self.said.leave(game, why)
            game.wake.set()
        if last is not None and self._transport is not None:
            self._transport.sendto(messages.encoded(last), address)

    def _send_udp(self, game: Game, address: Any) -> None:
        if self._transport is not None:
            for message in self.said.outgoing(game):
                self._transport.sendto(messages.encoded(message), address)

    async def _tell_udp(self, game: Game, address: Any) -> None:
        while self._udp.get(address) is game:
            try:
                await asyncio.wait_for(game.wake.wait(), REPEAT_S)
            except TimeoutError:  # a datagram may have been lost: all of it again
                if game.hello is not None:
                    with self.said.lock:
                        game.pending = {name: v for name, v in self.said.numbers.items() if wants(game, name)}
            game.wake.clear()
            if self._udp.get(address) is game:
                self._send_udp(game, address)

    async def _watch_silent(self) -> None:
        while True:
            await asyncio.sleep(0.5 * SILENT_S)
            late = self._loop.time() - SILENT_S
            for address in [one for one, game in self._udp.items() if game.heard < late]:
                self._drop_udp(address, f"nothing was heard of it for {SILENT_S:g} seconds")


class _Datagrams(asyncio.DatagramProtocol):
    def __init__(self, server: Server):
        self.server = server

    def datagram_received(self, data: bytes, addr: Any) -> None:
        self.server._over_udp(data, addr)


async def _closed(server: asyncio.Server) -> None:
    server.close()


def _peer(address: Any) -> str:
    return ":".join(str(one) for one in address[:2]) if isinstance(address, tuple) else str(address)
