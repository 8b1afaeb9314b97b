"""The live link: over TCP, UDP and WebSocket, with every message, what is hostile, who is wrong, and a game in C."""

from __future__ import annotations

import asyncio
import contextlib
import json
import re
import shutil
import socket
import subprocess
import sys
import threading
import time
from pathlib import Path

import jsonschema
import numpy as np
import pytest
from websockets.sync.client import connect

from oak_sled.core.assembly import jobs
from oak_sled.core.base.faults import Refused
from oak_sled.core.link import games, messages, server
from oak_sled.core.link.messages import Hello, Telemetry
from oak_sled.core.link.numbers import Dialled
from oak_sled.core.link.server import Server, Settings
from oak_sled.core.link.telemetry import HEADS, Take
from oak_sled.core.portable import folder
from oak_sled.core.project import demos
from oak_sled.core.yard.game import Game

ROOT = Path(__file__).parents[2]
NUMBERS = {"fan_thrust": 620.0, "mass": 240.0, "dt": 1.0 / 120.0}
WAYS = ("tcp", "udp", "web")


@pytest.fixture
def bench():
    """A link that listens on free ports."""
    made = Server(Settings(port=0))
    made.show("fan_sled", 120.0, NUMBERS)
    made.start()
    yield made
    made.close()


class Tcp:
    def __init__(self, bench):
        self.line = socket.create_connection(("127.0.0.1", bench.ports["tcp"]), timeout=20)
        self.file = self.line.makefile("rb")

    def send(self, data):
        self.line.sendall(data if isinstance(data, bytes) else json.dumps(data).encode() + b"\n")

    def read(self):
        line = self.file.readline()
        return json.loads(line) if line else None

    def close(self):
        self.file.close()
        self.line.close()


class Udp:
    def __init__(self, bench):
        self.line = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.line.settimeout(20)
        self.line.connect(("127.0.0.1", bench.ports["udp"]))

    def send(self, data):
        self.line.send(data if isinstance(data, bytes) else json.dumps(data).encode())

    def read(self):
        return json.loads(self.line.recv(messages.MOST_BYTES))

    def close(self):
        self.line.close()


class Web:
    def __init__(self, bench):
        self.stack = contextlib.ExitStack()
        self.line = self.stack.enter_context(connect(f"ws://127.0.0.1:{bench.ports['web']}", open_timeout=20))

    def send(self, data):
        self.line.send(data.decode(errors="replace") if isinstance(data, bytes) else json.dumps(data))

    def read(self):
        from websockets.exceptions import ConnectionClosed

        try:
            return json.loads(self.line.recv(timeout=20))
        except ConnectionClosed:
            return None

    def close(self):
        self.stack.close()


GAMES = {"tcp": Tcp, "udp": Udp, "web": Web}


@pytest.fixture
def game(bench, request):
    made = []

    def join(way="tcp", to=None, **hello):
        one = GAMES[way](to or bench)
        made.append(one)
        if hello.pop("greets", True):
            one.send({"type": "hello", "version": 1, **hello})
        return one

    yield join
    for one in made:
        one.close()


def came(bench, what, count=1):
    """Waits until so many events of a kind came in; gives them."""
    found, end = [], time.monotonic() + 20.0
    while len(found) < count:
        assert time.monotonic() < end, f"{len(found)} of {count} {what}"
        found += [event for event in bench.take() if event.what == what]
        threading.Event().wait(0.005)
    return found


# messages


@pytest.mark.parametrize(("side", "message"), messages.EXAMPLES, ids=lambda one: getattr(one, "type", ""))
def test_every_message_has_an_example_that_holds_against_its_schema_and_stands_in_the_page(side, message):
    line = messages.encoded(message)
    known = messages.OF_GAME if side == "game" else messages.OF_BENCH
    assert messages.decoded(line, known) == message
    schema = messages.schema()[f"from_{side}"][message.type]
    jsonschema.Draft202012Validator(schema).validate(json.loads(line))
    assert line.decode().strip() in (ROOT / "docs/live-link.md").read_text()


def test_every_kind_has_one_and_the_page_and_schema_are_those_of_the_declarations():
    shown = {(side, message.type) for side, message in messages.EXAMPLES}
    assert shown >= {("game", name) for name in messages.OF_GAME}
    assert shown >= {("bench", name) for name in messages.OF_BENCH if name != "bye"}
    assert (ROOT / "docs/live-link.md").read_text() == messages.page()
    assert (ROOT / "docs/live-link.schema.json").read_text() == messages.schema_text()


HOSTILE = {
    b"hello": "is no JSON",
    b"[1, 2]": "is a list, not an object",
    b'"x"': "is a str, not an object",
    b"{}": "'None' is no message",
    b'{"type": 5}': "'5' is no message",
    b'{"type": "shutdown"}': "'shutdown' is no message",
    b'{"type": "welcome", "craft": "x", "ticks_per_second": 1, "numbers": {}}': "'welcome' is no message",
    b'{"type": "telemetry"}': "telemetry.tick",
    b'{"type": "telemetry", "tick": -1, "position": [0, 0, 0]}': "telemetry.tick",
    b'{"type": "telemetry", "tick": 1.5, "position": [0, 0, 0]}': "telemetry.tick",
    b'{"type": "telemetry", "tick": 1, "position": [0, 0]}': "telemetry.position",
    b'{"type": "telemetry", "tick": 1, "position": [NaN, 0, 0]}': "NaN is no number of JSON",
    b'{"type": "telemetry", "tick": 1, "position": [Infinity, 0, 0]}': "Infinity is no number",
    b'{"type": "telemetry", "tick": 1, "position": [1e999, 0, 0]}': "telemetry.position",
    b'{"type": "telemetry", "tick": 1, "position": [1e13, 0, 0]}': "telemetry.position",
    b'{"type": "telemetry", "tick": 1, "position": ["1", 0, 0], "evil": 1}': "telemetry.evil",
    b'{"type": "telemetry", "tick": 1, "position": [0, 0, 0], "numbers": {"a b": 1}}': "telemetry.numbers",
    b'{"type": "telemetry", "tick": 1, "position": [0, 0, 0], "inputs": {"x": null}}': "telemetry.inputs",
    b'{"type": "subscribe", "dials": "some"}': "subscribe.dials",
    b"\xff\xfe": "is no JSON",
    b"[" * 5000: "is no JSON",
}


@pytest.mark.parametrize("data", HOSTILE, ids=lambda one: one[:40].decode(errors="replace"))
def test_what_is_hostile_is_refused_with_the_fault(data):
    with pytest.raises(Refused) as told:
        messages.decoded(data)
    fault = told.value.faults[0]
    assert HOSTILE[data] in f"{fault.where}: {fault.what}"
    assert fault.right


def test_random_bytes_are_refused_or_taken_and_nothing_else():
    rng = np.random.default_rng(9)
    seeds = [messages.encoded(message) for _, message in messages.EXAMPLES]
    for _ in range(600):
        data = bytearray(seeds[rng.integers(len(seeds))])
        for _ in range(rng.integers(1, 6)):
            data[rng.integers(len(data))] = rng.integers(256)
        with contextlib.suppress(Refused):
            assert messages.decoded(bytes(data)).type in messages.OF_GAME


# the conversation


@pytest.mark.parametrize("way", WAYS)
def test_a_game_is_welcomed_told_of_dials_and_heard(bench, game, way):
    one = game(way, name="lake", ticks=60.0)
    assert one.read() == {
        "type": "welcome", "version": 1, "craft": "fan_sled", "ticks_per_second": 120.0, "numbers": NUMBERS,
    }  # fmt: skip
    assert came(bench, "joined")[0].game.name == "lake"
    bench.show("fan_sled", 120.0, {**NUMBERS, "fan_thrust": 700.0})
    assert one.read() == {"type": "dials", "serial": 1, "numbers": {"fan_thrust": 700.0}}
    for tick in range(3):
        one.send({"type": "telemetry", "tick": tick, "position": [tick, 0.0, 0.5], "inputs": {"throttle": 1.0}})
    heard = [event.message for event in came(bench, "message", 3)]
    assert [one.position[0] for one in heard] == [0.0, 1.0, 2.0]
    bench.say_anew("the craft has other parts")
    assert one.read() == {"type": "anew", "why": "the craft has other parts"}
    one.send({"type": "bye", "why": "the level ended"})
    assert came(bench, "left")[0].why == "the level ended"


@pytest.mark.parametrize("way", WAYS)
def test_a_wrong_message_is_refused_and_the_game_stays(bench, game, way):
    one = game(way)
    one.read()
    for data, words in HOSTILE.items():
        if way == "web" and data in (b"\xff\xfe",):
            continue  # a page sends text
        one.send(data + (b"\n" if way == "tcp" else b""))
        told = one.read()
        assert told["type"] == "refused", data
        assert words in told["what"]
    one.send({"type": "telemetry", "tick": 9, "position": [0, 0, 0]})
    one.send({"type": "telemetry", "tick": 5, "position": [0, 0, 0]})
    assert "5 after 9" in one.read()["what"]
    one.send({"type": "telemetry", "tick": 0, "position": [1, 0, 0]})
    assert [event.message.tick for event in came(bench, "message", 2)] == [9, 0], "it may begin anew"


@pytest.mark.parametrize("way", WAYS)
def test_only_what_was_asked_for_is_told(bench, game, way):
    one = game(way, dials=["mass", "wings"])
    told = [one.read(), one.read()]
    welcome = next(message for message in told if message["type"] == "welcome")
    assert welcome["numbers"] == {"mass": 240.0}
    assert next(message for message in told if message["type"] == "refused")["what"] == "dials: there is no wings"
    bench.show("fan_sled", 120.0, {**NUMBERS, "fan_thrust": 1.0})
    bench.show("fan_sled", 120.0, {**NUMBERS, "fan_thrust": 2.0, "mass": 250.0})
    assert one.read()["numbers"] == {"mass": 250.0}
    one.send({"type": "subscribe", "dials": ["fan_thrust"]})
    assert one.read()["numbers"] == {"fan_thrust": 2.0}


@pytest.mark.parametrize("way", WAYS)
@pytest.mark.parametrize(
    ("first", "words"),
    [
        ({"type": "telemetry", "tick": 0, "position": [0, 0, 0]}, "the first message is no hello"),
        ({"type": "hello", "version": 2}, "2 is not spoken here"),
        ({"type": "hello", "version": 1, "token": "wrong token"}, "a wrong token"),
        ({"type": "hello", "version": 1, "name": "x" * 81}, "hello.name"),
    ],
)
def test_who_does_not_greet_as_one_should_is_let_go_with_the_reason(bench, game, way, first, words):
    one = game(way, greets=False)
    one.send(first)
    assert words in one.read()["what"]
    if way != "udp":
        assert one.read() is None
    assert bench.games == ()
    other = game(way)
    assert other.read()["type"] == "welcome", "the bench goes on"


def test_a_token_opens_and_is_needed_where_others_can_reach_the_bench(game):
    for host, token, words in (("0.0.0.0", "", "other machines"), ("127.0.0.1", "short", "too short")):
        with pytest.raises(Refused, match=words):
            Server(Settings(host, 0, token))
    guarded = Server(Settings("127.0.0.1", 0, "open sesame"))
    guarded.show("fan_sled", 120.0, NUMBERS)
    guarded.start()
    try:
        assert "wrong token" in game(to=guarded).read()["what"]
        assert game(to=guarded, token="open sesame").read()["type"] == "welcome"
    finally:
        guarded.close()


def test_a_port_that_is_taken_is_said():
    with socket.create_server(("127.0.0.1", 0)) as taken:
        port = taken.getsockname()[1]
        with pytest.raises(Refused) as told:
            Server(Settings(port=port)).start()
    assert "cannot be listened on" in told.value.faults[0].what
    with pytest.raises(Refused, match="is none"):
        Server(Settings(port=70_000))


def test_bounds_hold(bench, game, monkeypatch):
    """Games, bytes of a line, what waits, what is not read, who never greets, and who is silent."""
    one = game()
    one.read()
    one.send(b"x" * (messages.MOST_BYTES + 10) + b"\n")
    assert "bytes" in one.read()["what"]
    assert one.read() is None, "a stream that lost its lines ends"
    many = [game() for _ in range(games.MOST_GAMES)]
    assert all(other.read()["type"] == "welcome" for other in many)
    assert "too many games" in game().read()["what"]
    monkeypatch.setattr(games, "MOST_WAITING", 50)
    for tick in range(400):
        many[0].send({"type": "telemetry", "tick": tick, "position": [0, 0, 0]})
    many[0].send({"type": "bye"})
    end = time.monotonic() + 20.0
    while (bench.said.lost < 300 or bench.said.events[-1].what != "left") and time.monotonic() < end:
        threading.Event().wait(0.01)
    waiting = bench.take()
    assert len(waiting) <= 50
    assert waiting[-1].what == "left", "the newest stay"
    assert bench.said.lost >= 300


def test_a_game_that_does_not_read_is_let_go_and_holds_nobody_up(bench, game, monkeypatch):
    monkeypatch.setattr(server, "MOST_UNREAD", 1000)
    deaf, other = game(name="deaf"), game(name="other")
    other.read()
    came(bench, "joined", 2)
    deaf.line.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1024)
    wide = {f"number_{k}": 0.1 for k in range(1500)}
    left = []
    for k in range(4000):
        bench.show("fan_sled", 120.0, {**{name: float(k) for name in wide}, **NUMBERS})
        left += [event for event in bench.take() if event.what == "left"]
        if left:
            break
        other.read()
    assert [event.game.name for event in left] == ["deaf"]
    assert "does not read" in left[0].why


def test_who_never_greets_and_who_falls_silent_is_gone(bench, game, monkeypatch):
    monkeypatch.setattr(server, "GREETING_S", 0.05)
    assert game(greets=False).read() is None
    quick = Server(Settings(port=0))
    monkeypatch.setattr(server, "SILENT_S", 0.2)
    monkeypatch.setattr(server, "REPEAT_S", 0.05)
    quick.show("fan_sled", 120.0, NUMBERS)
    quick.start()
    try:
        one = game("udp", to=quick)
        assert one.read()["type"] == "welcome"
        assert one.read() == {"type": "dials", "serial": 1, "numbers": NUMBERS}, "told again: a datagram may be lost"
        assert "nothing was heard" in came(quick, "left")[0].why
    finally:
        quick.close()


@pytest.mark.parametrize("way", WAYS)
def test_the_end_of_either_side_is_said_once_and_a_game_comes_back(bench, game, way):
    one = game(way, name="first")
    one.read()
    came(bench, "joined")
    one.send({"type": "bye"}) if way == "udp" else one.close()
    assert len(came(bench, "left")) == 1
    again = game(way, name="second")
    assert again.read()["type"] == "welcome"
    came(bench, "joined")
    bench.close("the window was closed")
    told = again.read()
    while told["type"] == "dials":  # over UDP all is told again now and then
        told = again.read()
    assert told == {"type": "bye", "why": "the window was closed"}


# numbers and telemetry


@pytest.mark.parametrize(("demo", "path", "name"), [
    ("fan-sled", "crafts.fan_sled.parts.fan.thrust", "fan_thrust"),
    ("ferry", "crafts.ferry.body.mass", "mass"),
    ("lamp-truck", "crafts.truck.parts.front.radius", "front_radius"),
])  # fmt: skip
def test_numbers_follow_a_dial_as_an_export_would(demo, path, name):
    yard = demos.load(demo)
    dialled = Dialled.of(jobs.job_of(yard))
    exported = json.loads(folder.files_of(jobs.job_of(yard), "json")["numbers.json"])["numbers"]
    assert dialled.values == exported
    from oak_sled.core.base import document

    turned = yard.edit(path, 1.1 * document.get(yard, path))
    values = dialled.now(jobs.job_of(turned))
    assert values == json.loads(folder.files_of(jobs.job_of(turned), "json")["numbers.json"])["numbers"]
    assert values[name] != dialled.values[name]


def test_a_craft_that_is_another_by_now_is_refused_with_the_reason():
    yard = demos.load("fan-sled")
    dialled = Dialled.of(jobs.job_of(yard))
    craft = yard.craft()
    without = yard.replace(crafts=tuple(
        one.replace(parts=one.parts[:-1]) if one.id == craft.id else one for one in yard.crafts
    ))  # fmt: skip
    with pytest.raises(Refused, match="other parts"):
        dialled.now(jobs.job_of(without))
    with pytest.raises(Refused, match="60 ticks/s"):
        dialled.now(jobs.job_of(yard.edit("ticks", 60)))


def test_telemetry_in_units_of_the_game_is_turned_and_what_is_missing_is_found():
    strange = Game(length="px", rates="tick", forward="z", up="y", hand="left", quaternion="xyzw")
    rng = np.random.default_rng(3)
    places, velocities, spins = rng.normal(size=(3, 20, 3))
    turned = rng.normal(size=(20, 4))
    turned /= np.linalg.norm(turned, axis=1, keepdims=True)
    display, axes = strange.told(), strange.axes
    plain, other = Take(Hello(version=1), strange), Take(Hello(version=1, units="game"), strange)
    for tick in range(20):
        inputs = {"steer": tick / 20.0}
        plain.add(Telemetry(tick=tick, position=tuple(places[tick]), attitude=tuple(turned[tick]),
                            velocity=tuple(velocities[tick]), spin=tuple(spins[tick]), inputs=inputs))  # fmt: skip
        other.add(Telemetry(
            tick=tick, position=tuple(64.0 * axes.vectors(places[tick])),
            attitude=tuple(display.attitude(turned[tick][None])[0][0]),
            velocity=tuple(64.0 / 60.0 * axes.vectors(velocities[tick])),
            spin=tuple(display.shown(1.0, "rad/s")[0] * axes.axials(spins[tick])), inputs=inputs,
        ))  # fmt: skip
    assert np.allclose(plain.motion(), other.motion(), atol=1e-12)
    assert np.array_equal(plain.recording().column("input.steer"), np.arange(20) / 20.0)
    table = plain.table().splitlines()
    assert table[0] == ",".join([*HEADS, "input.steer"])
    assert np.array_equal(np.array([line.split(",")[:14] for line in table[1:]], float), plain.motion())
    bare = Take(Hello(version=1, ticks=10.0), strange)
    for tick in range(3):
        bare.add(Telemetry(tick=tick, position=(0.5 * tick, 0.0, 0.0)))
    assert bare.motion()[2, 8] == pytest.approx(5.0), "velocity by the places"
    assert np.isnan(bare.motion()[2, 11])
    bare.add(Telemetry(tick=0, position=(0.0, 0.0, 0.0)))
    assert len(bare) == 1, "tick 0 begins anew"


# games


@pytest.mark.skipif(shutil.which("cc") is None, reason="there is no cc")
@pytest.mark.parametrize("demo", ["fan-sled", "ferry"])
def test_the_game_that_goes_with_exported_c_is_turned_while_it_runs(bench, demo, tmp_path):
    yard = demos.load(demo)
    job = jobs.job_of(yard)
    folder.write(job, "c", tmp_path)
    dialled = Dialled.of(job)
    bench.show(job.craft.id, job.ticks, dialled.values)
    with subprocess.Popen(
        ["sh", str(tmp_path / "run-live.sh"), "127.0.0.1", str(bench.ports["tcp"]), "3"],
        stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
    ) as ran:  # fmt: skip
        came(bench, "joined")
        first = came(bench, "message", 20)
        bench.show(job.craft.id, job.ticks, {**dialled.values, "mass": 321.0})
        said = ran.communicate(timeout=60)[0]
    assert ran.returncode == 0, said
    assert "mass = 321" in said
    told = [event.message for event in (*first, *bench.take()) if event.what == "message"]
    assert told[-1].numbers["heard"] == 1.0, "it says which change it has"
    ticks = [one.tick for one in told]
    assert ticks == sorted(set(ticks)) == list(range(ticks[0], ticks[0] + len(ticks)))
    assert np.linalg.norm(told[-1].velocity) > 0.1, "it drives"
    if demo == "ferry":
        assert 0.2 < told[-1].position[2] < 3.0, "it hovers over its plane"


def test_the_command_tells_of_every_change_of_the_file_and_says_what_is_wrong_with_it(tmp_path):
    file, table = tmp_path / "sled.json", tmp_path / "told.csv"
    text = (ROOT / "src/oak_sled/demo/fan_sled.json").read_text()
    file.write_text(text)
    line = [
        sys.executable,
        "-u",
        "-m",
        "oak_sled",
        "link",
        str(file),
        "--port",
        "0",
        "--for",
        "25",
        "--csv",
        str(table),
    ]
    with subprocess.Popen(line, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True) as ran:
        port = int(re.search(r"tcp and udp (\d+)", ran.stdout.readline())[1])
        game = socket.create_connection(("127.0.0.1", port), timeout=20)
        lines = game.makefile("rb")
        game.sendall(b'{"type": "hello", "version": 1, "name": "lake"}\n')
        assert json.loads(lines.readline())["numbers"]["fan_thrust"] == 620.0
        file.write_text(text.replace('"thrust": 620.0', '"thrust": 700.0', 1))
        assert json.loads(lines.readline())["numbers"] == {"fan_thrust": 700.0}
        file.write_text(text.replace('"thrust": 620.0', '"thrust": "a lot"', 1))
        file.write_text(text.replace('"thrust": 620.0', '"thrust": 710.0', 1))
        assert json.loads(lines.readline())["numbers"] == {"fan_thrust": 710.0}
        for tick in range(5):
            game.sendall(json.dumps({"type": "telemetry", "tick": tick, "position": [tick, 0, 0]}).encode() + b"\n")
        ran.stdout.readline()
        ran.send_signal(2)
        assert json.loads(lines.readline())["type"] == "bye"
        _, wrong = ran.communicate(timeout=60)
        lines.close()
        game.close()
    assert ran.returncode == 130, wrong
    assert "Traceback" not in wrong
    assert len(table.read_text().splitlines()) == 6


def test_the_loop_of_the_link_is_no_one_elses():
    """Several links at once, in several threads, each ends by itself."""
    many = [Server(Settings(port=0)) for _ in range(3)]
    for one in many:
        one.start()
    for one in many:
        one.close()
        one.close()
        assert not one._thread.is_alive()
    assert asyncio.new_event_loop().close() is None
