"""What comes from outside: one door for every file, counts before sizes, and what loads can be saved."""

from __future__ import annotations

import ast
import base64
import copy
import dataclasses
import json
import math
import os
import struct
import time
from pathlib import Path

import numpy as np
import pytest
from hostile import CALM
from hypothesis import given
from hypothesis import strategies as st
from numpy.testing import assert_allclose

import oak_sled
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import disk, json_text
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import inputs_csv, mesh_file, picture, records, yard_json
from oak_sled.core.project import card_json, card_reader, demos, shelf, shelf_store
from oak_sled.core.results import run

SOURCE = Path(oak_sled.__file__).parent
YARD = demos.load("fan-sled")


@pytest.fixture(scope="module")
def made():
    drill = YARD.drill("brake_to_stop").replace(duration=0.5)
    return run.execute(Job(YARD.craft(), YARD.ground_of(drill), drill, YARD.ticks, YARD.integrator))


# the door

READERS = {
    "yard.json": yard_json.load,
    "mesh.obj": mesh_file.read,
    "mesh.stl": mesh_file.read,
    "mesh.gltf": mesh_file.read,
    "mesh.glb": mesh_file.read,
    "relief.png": picture.read,
    "inputs.csv": lambda file: inputs_csv.load(file, YARD.craft()),
    "record.parquet": lambda file: records.Stored.at(file, ["t"]).check(),
    "card.json": lambda file: card_reader.json_of(file),
}
SPOILERS = {
    "fifo": os.mkfifo,
    "folder": os.mkdir,
    "endless": lambda file: os.symlink("/dev/zero", file),
    "terminal": lambda file: os.symlink("/dev/tty", file),
    "missing": lambda file: None,
    "a link in a circle": lambda file: os.symlink(file, file),
    "empty": lambda file: file.write_bytes(b""),
    "noise": lambda file: file.write_bytes(np.random.default_rng(3).bytes(5000)),
}


@pytest.mark.parametrize("spoil", SPOILERS)
@pytest.mark.parametrize("name", READERS)
def test_every_reader_refuses_what_is_no_file_of_its_kind(tmp_path, name, spoil):
    SPOILERS[spoil](tmp_path / name)
    with pytest.raises(Refused) as refused:
        READERS[name](tmp_path / name)
    assert name in str(refused.value.faults[0])


@pytest.mark.parametrize("name", [name for name in READERS if name not in ("inputs.csv", "record.parquet")])
def test_what_is_too_large_is_refused_before_it_is_read(tmp_path, name):
    with open(tmp_path / name, "wb") as file:
        file.truncate(50_000_000_000)  # it has no blocks: only who reads it finds so many zeros
    with pytest.raises(Refused, match="too large"):
        READERS[name](tmp_path / name)


def test_a_file_that_says_nothing_of_its_size_is_bounded_all_the_same():
    with pytest.raises(Refused, match="goes on and on"):
        disk.read_whole(Path("/proc/self/maps"), 10, "a file")


@pytest.mark.parametrize("beside", ["fifo", "folder", "endless", "missing"])
def test_what_a_mesh_names_beside_it_comes_through_the_same_door(tmp_path, beside):
    (tmp_path / "mesh.gltf").write_text(json.dumps(gltf(buffers=[{"uri": "data.bin", "byteLength": 240}])))
    SPOILERS[beside](tmp_path / "data.bin")
    with pytest.raises(Refused, match=r"mesh\.gltf.*data\.bin"):
        mesh_file.read(tmp_path / "mesh.gltf")


OWN = {
    "core/base/disk.py": "the door itself",
    "core/base/private_folder.py": "a door with more checks: compiled code",
    str(Path("desk", "work", "recovery.py")): "locks, of which nothing is read",
    "core/project/pads.py": "event devices of the system, read in whole events and never waited for",
    "core/project/demos.py": "demos are part of the program",
    "core/compiler/source.py": "sources of the kernel, which are run",
    "core/compiler/machine.py": "the system says what the processor has",
    "core/compiler/kernel.py": "sources of the kernel, which are run",
    "core/study/cluster.py": "sources of the kernel, which are run",
    "core/study/map_picture.py": "the font of the program",
    "desk/widgets/theme.py": "the font of the program",
    "desk/trials/soak.py": "the system says how much memory is in use",
    "commands/lists.py": "the schema that the program carries",
    "commands/desktop.py": "entry, icon and file type that the program carries",
    "core/project/manual.py": "the documents of the program",
    "desk/app/beginpage.py": "pictures of the demos, part of the program",
}
"""Files that open others by themselves, and why they may."""
OPENS = {"open", "read_bytes", "read_text", "fromfile", "loadtxt", "genfromtxt", "memmap"}


def opens(file):
    """Whether a file of the program opens files in its own way."""
    calls = [node.func for node in ast.walk(ast.parse(file.read_text())) if isinstance(node, ast.Call)]
    named = {one.id for one in calls if isinstance(one, ast.Name)} & {"open"}
    reached = {one.attr for one in calls if isinstance(one, ast.Attribute)} & (OPENS - {"open"})
    return bool(named | reached) or any(ast.unparse(one) == "os.open" for one in calls)


def test_no_other_place_opens_files():
    folders = [SOURCE / folder for folder in ("core", "desk", "commands", "library")]
    found = {str(file.relative_to(SOURCE)) for folder in folders for file in folder.rglob("*.py") if opens(file)}
    found |= {"cli.py"} if opens(SOURCE / "cli.py") else set()
    assert found == set(OWN)


# glTF: counts before sizes


def gltf(**changes):
    """A triangle: corners at the front of the buffer, then three indices."""
    data = struct.pack("<9f3I", 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 1, 2)
    uri = "data:application/octet-stream;base64," + base64.b64encode(data).decode()
    made = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"},
            {"bufferView": 1, "componentType": 5125, "count": 3, "type": "SCALAR"},
        ],
        "bufferViews": [
            {"buffer": 0, "byteOffset": 0, "byteLength": 36},
            {"buffer": 0, "byteOffset": 36, "byteLength": 12},
        ],
        "buffers": [{"byteLength": 48, "uri": uri}],
    }
    return {**made, **changes}


def packed_glb(made):
    """The same as GLB, its buffer as the second chunk."""
    made = copy.deepcopy(made)
    data = base64.b64decode(made["buffers"][0].pop("uri").partition(",")[2])
    text = json.dumps(made).encode()
    text += b" " * (-len(text) % 4)
    chunks = struct.pack("<2I", len(text), 0x4E4F534A) + text + struct.pack("<2I", len(data), 0x004E4942) + data
    return struct.pack("<3I", 0x46546C67, 2, 12 + len(chunks)) + chunks


def node_chain(count):
    return [{"children": [k + 1]} for k in range(count)] + [{"mesh": 0}]


BIG = {"componentType": 5126, "count": 700_000_000, "type": "VEC3"}
HUNDRED_EACH = [{"children": [k + 1] * 100} for k in range(6)] + [{"mesh": 0}]
HOSTILE_GLTF = {
    "an accessor of 8 GB made of zeros": (gltf(accessors=[BIG, BIG]), "bytes of all accessors"),
    "an accessor longer than its view": (
        gltf(accessors=[{**BIG, "bufferView": 0, "count": 8_000_000}, gltf()["accessors"][1]]), "damaged"),
    "thousands of accessors of one view": (
        gltf(accessors=[{"componentType": 5126, "count": 2_000, "type": "VEC3"}] * 20_000), "bytes of all accessors"),
    "a view longer than its buffer": (gltf(bufferViews=[{"buffer": 0, "byteLength": 10**12}] * 2), "damaged"),
    "nodes nested 20,000 deep": (gltf(nodes=node_chain(19_990)), "below one another"),
    "nodes in a circle": (gltf(nodes=[{"children": [0], "mesh": 0}]), "below one another"),
    "a node of itself a hundred times": (gltf(nodes=HUNDRED_EACH), "nodes are too many"),
    "200,000 instances": (gltf(scenes=[{"nodes": [0] * 200_000}]), "nodes are too many"),
    "20,001 triangles by instances": (gltf(scenes=[{"nodes": [0] * 20_001}]), "too many"),
    "200,000 nodes": (gltf(nodes=[{"mesh": 0}] * 200_000), "entries of nodes"),
    "a mesh that there is not": (gltf(nodes=[{"mesh": 7}]), "damaged"),
    "a count that is a text": (gltf(accessors=[{**BIG, "count": "3"}] * 2), "damaged"),
    "a matrix of infinity": (gltf(nodes=[{"mesh": 0, "matrix": [float("inf")] * 16}]), "not a number"),
}  # fmt: skip


def test_the_triangle_itself_is_read(tmp_path):
    (tmp_path / "a.gltf").write_text(json.dumps(gltf()))
    (tmp_path / "a.glb").write_bytes(packed_glb(gltf()))
    assert [mesh_file.read(tmp_path / name).triangles for name in ("a.gltf", "a.glb")] == [1, 1]


@pytest.mark.parametrize("kind", ["gltf", "glb"])
@pytest.mark.parametrize("name", HOSTILE_GLTF)
def test_what_a_gltf_asks_for_is_counted_before_it_is_made(tmp_path, name, kind):
    made, says = HOSTILE_GLTF[name]
    file = tmp_path / f"a.{kind}"
    file.write_bytes(packed_glb(made) if kind == "glb" else json.dumps(made).encode())
    with pytest.raises(Refused, match=says):
        mesh_file.read(file)


def test_a_gltf_that_was_cut_is_told_as_damaged(tmp_path):
    whole = packed_glb(gltf())
    for length in range(0, len(whole), 7):
        (tmp_path / "a.glb").write_bytes(whole[:length])
        with pytest.raises(Refused, match=r"damaged|empty"):
            mesh_file.read(tmp_path / "a.glb")


TWO = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv {} 1 0\nf 1 2 3\nf 2 4 3\n"
SOLID = (
    "solid\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 {} 0\nendloop\nendfacet\nendsolid\n"
)


def binary_stl(number):
    return bytes(80) + struct.pack("<I12fH", 1, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, number, 0, 0)


@pytest.mark.parametrize("number", ["nan", "inf", "-inf", "NaN", "Infinity"])
def test_a_corner_that_is_no_number_is_refused_and_not_dropped(tmp_path, number):
    made = gltf()
    data = struct.pack("<9f3I", 0, 0, 0, 1, 0, 0, 0, float(number), 0, 0, 1, 2)
    made["buffers"][0]["uri"] = "data:application/octet-stream;base64," + base64.b64encode(data).decode()
    contents = {
        "a.obj": TWO.format(number).encode(),
        "text.stl": SOLID.format(number).encode(),
        "a.stl": binary_stl(float(number)),
        "a.gltf": json.dumps(made).encode(),
    }
    for name, content in contents.items():
        (tmp_path / name).write_bytes(content)
        with pytest.raises(Refused, match="not a number"):
            mesh_file.read(tmp_path / name)


def test_too_many_triangles_are_counted_in_the_bytes(tmp_path):
    contents = {
        "a.obj": b"v 0 0 0\n" * 3 + b"f 1 2 3\n" * 20_001,
        "text.stl": SOLID.format(1).encode().replace(b"endfacet\n", b"endfacet\n" * 20_001),
        "a.stl": bytes(80) + struct.pack("<I", 20_001) + bytes(50) * 20_001,
        "corners.obj": b"v 0 0 0\n" * 500_001 + b"f 1 2 3\n",
    }
    for name, content in contents.items():
        (tmp_path / name).write_bytes(content)
        with pytest.raises(Refused, match="too many"):
            mesh_file.read(tmp_path / name)


# what loads can be saved

TREES = {name: json.loads(yard_json.dumps(demos.load(name))) for name in ("fan-sled", "ferry", "puck")}
LEAVES = st.one_of(
    st.none(),
    st.booleans(),
    st.integers(-(2**70), 2**70),
    st.floats(),
    st.text(st.characters(exclude_categories=()), max_size=6),  # with halves of characters
    st.sampled_from(["inf", "nan", "-1e400", "\ud800", "1e308", "12 kN", "0.5 g", 1e308, -0.0, 5e-324, 2**53 + 1, 3.0]),
)
JSON = st.recursive(LEAVES, lambda deeper: st.lists(deeper, max_size=3) | st.dictionaries(st.text(max_size=3), deeper))


def places(data, path=()):
    yield path
    inner = data.items() if isinstance(data, dict) else enumerate(data) if isinstance(data, list) else ()
    for step, value in inner:
        yield from places(value, (*path, step))


def exchanged(data, path, value):
    """The same tree with another value at a place."""
    data = copy.deepcopy(data)
    inner = data
    for step in path[:-1]:
        inner = inner[step]
    inner[path[-1]] = value
    return data


PLACES = {name: [path for path in places(data) if path] for name, data in TREES.items()}


@CALM(200)
@given(st.data())
def test_load_save_load_is_the_identity_for_whatever_loads(data):
    name = data.draw(st.sampled_from(sorted(TREES)))
    tree = exchanged(TREES[name], data.draw(st.sampled_from(PLACES[name])), data.draw(JSON))
    try:
        yard = yard_json.of(yard_json.parse(json.dumps(tree), "yard"))
    except Refused:
        return
    written = yard_json.encoded(yard)
    again = yard_json.load_bytes(written, "yard")
    assert again == yard
    assert yard_json.encoded(again) == written


@pytest.mark.parametrize(
    ("field", "value"), [("gravity", float("inf")), ("gravity", float("nan")), ("title", "\ud800")]
)
def test_what_cannot_be_written_names_its_place(field, value):
    ground = YARD.grounds[0]
    odd = YARD.model_copy(update={"grounds": (ground.model_copy(update={field: value}), *YARD.grounds[1:])})
    with pytest.raises(Refused, match=rf"grounds\.{ground.id}\.{field}"):
        yard_json.encoded(odd)


@pytest.mark.parametrize("number", [1.0, 3.0, 2.5, 1e400, "3", True, 0, -1, 99])
def test_the_number_of_the_format_is_whole(number):
    with pytest.raises(Refused, match="format"):
        yard_json.loads(json.dumps({**TREES["fan-sled"], "format": number}))


# cards

ODD = [
    None,
    True,
    -1,
    0,
    3,
    50,
    1e300,
    "",
    "x",
    [],
    {},
    [[]],
    [1],
    {"a": 1},
    "\ud800",
    2**70,
    [[1e308, 2.0]],
    {"a": "b"},
]
ENTRY = {"id": "abc", "title": "", "pinned": False, "starred": False, "says": "x", "when": 1.0}


@pytest.fixture(scope="module")
def shelved(tmp_path_factory, made):
    """A yard with two kept runs, one of them a drive: its file, and what stands in the files of the cards."""
    file = tmp_path_factory.mktemp("shelf") / "yard.json"
    live = dataclasses.replace(made, live=True)
    cards = (shelf.card_of(made, "one"), shelf.card_of(live, "two"))
    shelf_store.save_all(YARD, cards, file)
    folder = shelf_store.folder_of(file)
    return file, [(folder / f"{card.id}.json", json.loads((folder / f"{card.id}.json").read_text())) for card in cards]


def opened_cards(file):
    """What opens of a shelf; whatever does can be looked at and saved again."""
    opened = shelf_store.load_all(file)
    for card in opened.cards:
        time.localtime(card.when)
        assert card.seconds >= 0.0
        assert np.isfinite(card.trail).all()
        assert np.ptp(card.trail, axis=0).max() < 1e10
        assert all(value is None or np.isfinite(value) for value in card.found.values())
        json.dumps(card_json.index_entry_of(card), allow_nan=False).encode()
    return opened


@pytest.mark.parametrize("value", ODD, ids=repr)
def test_every_field_of_a_card_is_right_or_the_card_is_told_as_damaged(shelved, value):
    file, cards = shelved
    for card, data in cards:
        for field in data:
            card.write_text(json.dumps({**data, field: value}))
            opened = opened_cards(file)
            assert len(opened.cards) + len(opened.lost) == 2, field
            assert all(line.count("\n") == 0 and len(line) < 400 for line in opened.lost)
        card.write_text(json.dumps(data))
    assert len(opened_cards(file).cards) == 2


@pytest.mark.parametrize("value", ODD, ids=repr)
@pytest.mark.parametrize("field", ENTRY)
def test_every_field_of_an_entry_of_the_index_too(field, value):
    fine = {"title": ("", "x"), "says": ("", "x"), "id": ("x",), "pinned": (True,), "starred": (True,)}
    if (value in fine.get(field, ()) and isinstance(value, bool | str)) or (field == "when" and value in (0, 3, 50)):
        time.localtime(card_json.entry_of({**ENTRY, field: value}).when)
        return
    with pytest.raises(Refused, match=field):
        card_json.entry_of({**ENTRY, field: value})


@CALM(60)
@given(st.data())
def test_a_card_with_any_value_exchanged(shelved, data):
    file, cards = shelved
    card, known = data.draw(st.sampled_from(cards))
    shallow = [path for path in places(known) if path and (len(path) < 3 or path[0] in ("trail", "found"))]
    try:
        card.write_text(json.dumps(exchanged(known, data.draw(st.sampled_from(shallow)), data.draw(JSON))))
        opened = opened_cards(file)
        assert len(opened.cards) + len(opened.lost) == 2
    finally:
        card.write_text(json.dumps(known))


def test_a_record_without_rows_is_told_when_it_is_asked_for(tmp_path, made):
    shelf_store.save_all(YARD, (shelf.card_of(dataclasses.replace(made, live=True), "a"),), tmp_path / "yard.json")
    file = next(shelf_store.folder_of(tmp_path / "yard.json").glob("*.parquet"))
    import pyarrow.parquet as pq

    table = pq.read_table(file)
    pq.write_table(table.slice(0, 0), file)
    card = shelf_store.load_all(tmp_path / "yard.json").cards[0]
    with pytest.raises(Refused, match="no rows"):
        card.kept.load()
    assert card.unreadable


# where it is saved


def test_a_save_through_a_link_goes_to_one_place(tmp_path, made):
    """The yard takes the place of the file the link leads to; its runs lie beside that."""
    real, links = tmp_path / "real", tmp_path / "links"
    real.mkdir()
    links.mkdir()
    (real / "yard.json").write_bytes(yard_json.encoded(YARD))
    (links / "here.json").symlink_to(real / "yard.json")
    card = shelf.card_of(made, "one")
    shelf_store.save_all(YARD, (card,), links / "here.json")
    assert [file.name for file in links.iterdir()] == ["here.json"]
    for file in (real / "yard.json", links / "here.json"):
        assert [one.id for one in shelf_store.load_all(file).cards] == [card.id]


def test_runs_that_lie_beside_the_link_are_found_and_moved_by_a_save(tmp_path, made):
    (tmp_path / "real").mkdir()
    shelf_store.save_all(YARD, (shelf.card_of(made, "one"),), tmp_path / "here.json")
    (tmp_path / "here.json").rename(tmp_path / "real" / "yard.json")
    (tmp_path / "here.json").symlink_to(tmp_path / "real" / "yard.json")
    opened = shelf_store.load_all(tmp_path / "here.json")
    assert [card.says for card in opened.cards] == ["one"]
    shelf_store.save_all(opened.yard, opened.cards, tmp_path / "here.json")
    assert [card.says for card in shelf_store.load_all(tmp_path / "real" / "yard.json").cards] == ["one"]


@pytest.mark.parametrize("at", ["a record", "the index", "the yard"])
def test_a_save_that_is_refused_leaves_nothing_behind(tmp_path, made, monkeypatch, at):
    wanted = {"a record": ".parquet", "the index": "shelf-", "the yard": "yard.json"}[at]
    written = disk.written

    def fails(path):
        if wanted in path.name:
            raise disk.refusal(path, OSError(28, "No space left on device"))
        return written(path)

    monkeypatch.setattr(disk, "written", fails)
    cards = (shelf.card_of(made, "one"), shelf.card_of(dataclasses.replace(made, live=True), "two"))
    with pytest.raises(Refused, match="no space"):
        shelf_store.save_all(YARD, cards, tmp_path / "yard.json")
    assert list(tmp_path.iterdir()) == []
    monkeypatch.undo()
    shelf_store.save_all(YARD, cards[:1], tmp_path / "yard.json")
    before = sorted((file.name, file.read_bytes()) for file in tmp_path.rglob("*") if file.is_file())
    monkeypatch.setattr(disk, "written", fails)
    with pytest.raises(Refused, match="no space"):
        shelf_store.save_all(YARD.edit("title", "later"), cards, tmp_path / "yard.json")
    assert sorted((file.name, file.read_bytes()) for file in tmp_path.rglob("*") if file.is_file()) == before


@pytest.mark.parametrize("stem", ["Ö" * 120, "雪" * 83, "x" * 250, "🛷" * 62])
def test_names_are_cut_by_bytes(tmp_path, made, stem):
    """File systems count bytes: 255 of them for a name, and a letter may take four."""
    file = tmp_path / f"{stem}.json"
    card = shelf.card_of(made, "one")
    shelf_store.save_all(YARD, (card,), file)
    other = tmp_path / f"{stem[:-1]}y.json"
    shelf_store.save_all(YARD, (), other)
    assert [one.id for one in shelf_store.load_all(file).cards] == [card.id]
    assert not shelf_store.load_all(other).cards


def test_the_newest_index_is_told_by_its_count_whatever_the_clock_says(tmp_path, made):
    """The yard was edited by hand: neither index is of its content any more."""
    file, folder = tmp_path / "yard.json", shelf_store.folder_of(tmp_path / "yard.json")
    cards = tuple(shelf.card_of(made, f"card {k}") for k in range(2))
    shelf_store.save_all(YARD, cards[:1], file)
    first = next(folder.glob("shelf-*.json")).read_bytes()
    shelf_store.save_all(YARD.edit("title", "later"), cards, file)
    (folder / "shelf-0123456789abcdef.json").write_bytes(first)
    now = time.time()
    for index in folder.glob("shelf-*.json"):
        os.utime(index, (now, now + 3600.0 * (index.read_bytes() == first)))
    file.write_bytes(yard_json.encoded(YARD.edit("title", "by hand")))
    assert [card.says for card in shelf_store.load_all(file).cards] == ["card 0", "card 1"]


# inputs


def csv_of(rows):
    return "t [s],throttle\n" + "".join(f"{k / 100!r},{(k % 7) / 10!r}\n" for k in range(rows))


def test_inputs_end_at_the_bound_and_the_rest_is_not_read(tmp_path, monkeypatch):
    monkeypatch.setattr(inputs_csv, "MOST_ROWS", 500)
    (tmp_path / "in.csv").write_text(csv_of(500))
    assert inputs_csv.load(tmp_path / "in.csv", YARD.craft()).duration == pytest.approx(5.0)
    (tmp_path / "in.csv").write_bytes(csv_of(501).encode() + b"\xff" * 100_000)
    with pytest.raises(Refused, match="more than 500 rows"):
        inputs_csv.load(tmp_path / "in.csv", YARD.craft())


def test_a_line_without_end_and_times_beyond_a_drill_are_one_clear_line(tmp_path):
    file = tmp_path / "in.csv"
    with open(file, "wb") as out:
        out.truncate(3_000_000_000)
    with pytest.raises(Refused, match="line 1: is too long"):
        inputs_csv.load(file, YARD.craft())
    file.write_text("t [s],throttle\n0,0.5\n7199,0.1\n7201,0.2\n1e300,0.3\n")
    found = inputs_csv.load(file, YARD.craft())
    assert found.duration <= 7200.0
    assert any("left out" in note for note in found.notes)
    YARD.drill().replace(duration=found.duration, tracks=found.tracks)  # it fits the document


def test_what_is_read_line_by_line_is_what_the_text_says(tmp_path):
    (tmp_path / "in.csv").write_text("\ufeff" + csv_of(300).replace("\n", "\r\n"))
    read = inputs_csv.load(tmp_path / "in.csv", YARD.craft())
    said = inputs_csv.loads(csv_of(300), YARD.craft())
    assert read == said
    assert_allclose([knot.value for knot in read.tracks[0].knots][:7], np.arange(7) / 10)


@pytest.mark.parametrize("count", [0, 1, 999, 1000, 1500])
def test_long_lists_of_knots_are_written_as_the_encoder_writes_them(count):
    knots = [{"t": k / 7, "value": math.sin(k) * 10.0 ** -(k % 30)} for k in range(count)]
    data = {
        "a": [{"b": {"knots": knots}, "c": [1, None, "x", {"t": 1.0, "value": 2.0}]}],
        "knots": knots,
        "e": [],
        "f": {},
    }
    assert json_text.text_of(data) == json.dumps(data, indent=1, ensure_ascii=False, allow_nan=False) + "\n"
    if count > 1:
        for odd in (float("nan"), float("inf")):
            with pytest.raises(ValueError, match="not JSON compliant"):
                json_text.text_of({"knots": [*knots, {"t": 1.0, "value": odd}]})
