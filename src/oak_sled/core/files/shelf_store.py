"""The shelf on disk: a folder beside the yard file, FILE.runs, with a small file a card and an index.

Cards never change once written. The index is named after the content of the yard it belongs to, and the yard is
replaced last: whoever is killed in between leaves the old yard with its old index. What cannot be read stays where it
is; only files that this index once named, and whose run the user removed, are removed.

A drill is run again from the documents it was made of when someone looks at it, and its fingerprint is compared; a
live drive keeps its record (see `records`).
"""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Callable, Collection, Iterable
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from oak_sled.core.build.jobs import Job
from oak_sled.core.documents import document
from oak_sled.core.documents.craft import Craft
from oak_sled.core.documents.document import Frozen
from oak_sled.core.documents.faults import Refused, refuse
from oak_sled.core.documents.yard import Drill, Ground, Yard
from oak_sled.core.files import disk, migrations, records, yard_json
from oak_sled.core.project.shelf import Card, Kept, trail_of
from oak_sled.core.results import measures, run
from oak_sled.core.results.record import Layout, Record
from oak_sled.core.results.rows import Sealed
from oak_sled.core.results.run import Run

OnProgress = Callable[[int, int], None]
"""on_progress(done, of): rows written or cards read so far. What it raises ends the work; nothing is left half done."""
MOST_CARD_BYTES = 64_000_000
_NAME = re.compile(r"[0-9A-Za-z]{1,40}")
_RECORD = re.compile(r"[0-9A-Za-z]{1,40}\.parquet")
_INDEX = "shelf-*.json"
_OLD_INDEX = "shelf.json"


class Opened(NamedTuple):
    """A yard, its shelf, a line for each card that could not be read, the stamp of the file, and a line where it was of
    an older format, else ""."""

    yard: Yard
    cards: tuple[Card, ...]
    lost: tuple[str, ...]
    stamp: str
    message: str = ""


def folder_of(file: Path) -> Path:
    """The folder of the runs of a yard file; one for each full file name."""
    return file.with_name(f"{file.name}.runs")


def stamp_of(file: Path) -> str:
    """A fingerprint of a file's content; "" when there is none, or it is no regular file."""
    try:
        return _stamp(disk.read_whole(file, yard_json.MOST_BYTES, "a yard file"))
    except Refused:
        return ""


def _stamp(content: bytes) -> str:
    return hashlib.sha256(content).hexdigest()[:16]


# writing


def save_all(
    yard: Yard,
    cards: tuple[Card, ...],
    file: Path,
    gone: Collection[str] = (),
    on_progress: OnProgress | None = None,
    in_parts: bool = False,
) -> str:
    """Writes the yard and its shelf, together or not at all; returns the stamp of the file. Raises `Refused`.

    gone : ids of runs that the user removed. in_parts : a live drive becomes a file for each sealed block, so that
    one that goes on is written on and not anew.
    """
    disk.check_folder(file)
    content = yard_json.dumps(yard).encode()
    stamp = _stamp(content)
    folder = folder_of(file)
    tidy: list[Path] = []
    if cards or folder.exists():
        tidy = _save_shelf(cards, file, stamp, gone, on_progress, in_parts)
    disk.write_whole(file, content)  # from here on the new index holds
    if not folder.is_symlink():
        for old in tidy:
            if not old.is_symlink():
                old.unlink(missing_ok=True)
    return stamp


def _save_shelf(
    cards: tuple[Card, ...],
    file: Path,
    stamp: str,
    gone: Collection[str],
    on_progress: OnProgress | None,
    in_parts: bool,
) -> list[Path]:
    """Writes new cards and the index of a yard that is about to be written; what may go once it is there."""
    folder = folder_of(file)
    disk.make_folder(folder)
    cards = tuple(card for card in cards if _is_there(folder, card) or _can_be_had(card))
    present = _index_of(folder, stamp_of(file))
    entries, names = [], set()
    if present is not None:
        try:
            entries = _entries(present)
            names = {str(entry["id"]) for entry in entries if isinstance(entry, dict) and "id" in entry}
        except Refused:  # it may be mended by hand: it is put aside, and no file it may name is touched
            if present.name == f"shelf-{stamp}.json":
                present.replace(present.with_suffix(".json.damaged"))
            present = None
    total = max(1, sum(len(card.run.record) for card in cards if card.live and not _is_there(folder, card)))
    progress = _Progress(on_progress, total)
    for card in cards:
        if not _is_there(folder, card):
            _write_card(card, folder, progress, in_parts)
    kept = {card.id for card in cards}
    index = [
        {"id": c.id, "title": c.title, "pinned": c.pinned, "starred": c.starred, "says": c.says, "when": c.when}
        for c in cards
    ]
    index += [entry for entry in entries if not (isinstance(entry, dict) and entry.get("id") in kept | set(gone))]
    target = folder / f"shelf-{stamp}.json"
    disk.write_whole(target, _text({"yard": stamp, "cards": index}))
    tidy = [] if present is None or present == target else [present]
    for name in set(gone) & names - kept:
        if _NAME.fullmatch(name):
            tidy += [folder / f"{name}{ending}" for ending in (".json", ".parquet", ".npz")]
    return tidy


def _is_there(folder: Path, card: Card) -> bool:
    return (folder / f"{card.id}.json").exists()


def _can_be_had(card: Card) -> bool:
    """Whether a card can be written to another folder: a damaged record must not keep the yard from being saved.

    It stays where it is, and its card says that it cannot be read.
    """
    try:
        return not card.live or card.kept.load() is not None
    except Refused:
        return False


class _Progress:
    """Counts rows of several records into one report."""

    def __init__(self, on_progress: OnProgress | None, total: int):
        self.on_progress, self.total, self.done = on_progress, total, 0

    def add(self, rows: int) -> None:
        self.done += rows
        if self.on_progress is not None:
            self.on_progress(min(self.done, self.total), self.total)


def _write_card(card: Card, folder: Path, progress: _Progress, in_parts: bool) -> None:
    names = []
    if card.live:
        names = _write_record(card, folder, progress, in_parts)
    disk.write_whole(folder / f"{card.id}.json", _text({**_card_data(card), "records": names}))


def _write_record(card: Card, folder: Path, progress: _Progress, in_parts: bool) -> list[str]:
    """The files of a record; those of sealed blocks that are there already are not written again."""
    record = card.run.record
    pieces: list[tuple[str, Record]] = []
    rest = list(record.blocks)
    while in_parts and rest and isinstance(rest[0], Sealed):
        block = rest.pop(0)
        assert isinstance(block, Sealed)
        pieces.append((f"{block.id}.parquet", Record(record.layout, [block])))
    if rest:
        pieces.append((f"{card.id}.parquet", Record(record.layout, rest)))
    missing = [(folder / name, piece) for name, piece in pieces if not (folder / name).exists()]
    unpacked = records.ahead(_unpacked(piece) for _, piece in missing)
    for (path, _), piece in zip(missing, unpacked, strict=True):
        records.save(piece, path, progress.add)
    return [name for name, _ in pieces]


def _unpacked(record: Record) -> Record:
    """The same record, with its rows at hand where it is one sealed block."""
    only = record.blocks[0]
    if len(record.blocks) > 1 or not isinstance(only, Sealed):
        return record
    return Record(record.layout, only.chunks(len(only)))


def _text(data: Any) -> bytes:
    return (json.dumps(data, indent=1, ensure_ascii=False) + "\n").encode()


def _card_data(card: Card) -> dict[str, Any]:
    job = card.job
    return {
        "craft": job.craft.model_dump(mode="json"),
        "others": [one.model_dump(mode="json") for one in job.others],
        "ground": job.ground.model_dump(mode="json"),
        "drill": job.drill.model_dump(mode="json"),
        "ticks": job.ticks,
        "integrator": job.integrator,
        "live": card.live,
        "message": card.message,
        "seconds": card.seconds,
        "status": card.run.status if card.live else 0,
        "digest": "" if card.live else card.kept.digest,
        "found": dict(card.found),
        "trail": [[round(float(x), 4), round(float(y), 4)] for x, y in card.trail],
    }


# reading


def load_all(file: Path, on_progress: OnProgress | None = None) -> Opened:
    """A yard and its shelf; raises `Refused` only when the yard itself cannot be read."""
    content = disk.read_whole(file, yard_json.MOST_BYTES, "a yard file as this program writes it")
    data = yard_json.parse(content, str(file))
    yard = yard_json.of(data, str(file))
    stamp = _stamp(content)
    cards, lost = _load_shelf(file, stamp, on_progress)
    return Opened(yard, cards, lost, stamp, yard_json.told_of(data))


def _load_shelf(file: Path, stamp: str, on_progress: OnProgress | None) -> tuple[tuple[Card, ...], tuple[str, ...]]:
    index = _index_of(folder_of(file), stamp)
    if index is None:  # a shelf of the first version: a folder for each name without its ending
        old = file.with_name(f"{file.stem}.runs") / _OLD_INDEX
        if not old.exists():
            return (), ()
        index = old
    try:
        entries = _entries(index)
    except Refused as refused:
        return (), (f"{refused.faults[0]}; the yard is whole",)
    reader = _Reader(index.parent)
    cards, lost = [], []
    for done, entry in enumerate(entries):
        name = str(entry.get("id", "?"))[:40] if isinstance(entry, dict) else "?"
        try:
            cards.append(reader.card(entry))
        except Refused as refused:
            lost.append(f"run {name}: {refused.faults[0]}")
        except Exception as error:  # a damaged file fails in as many ways as there are libraries that read it
            lost.append(f"run {name}: cannot be read ({type(error).__name__}); its files stay where they are")
        if on_progress is not None:
            on_progress(done + 1, len(entries))
    return tuple(cards), tuple(lost)


def _index_of(folder: Path, stamp: str) -> Path | None:
    """The index of a yard: that of its content, else the newest (the yard was edited by hand), or None."""
    if stamp and (folder / f"shelf-{stamp}.json").exists():
        return folder / f"shelf-{stamp}.json"
    found = [one for one in folder.glob(_INDEX) if one.is_file()]
    return max(found, key=lambda one: one.stat().st_mtime, default=None)


def names_in(file: Path) -> frozenset[str]:
    """Ids of the runs that the index of a yard file names."""
    index = _index_of(folder_of(file), stamp_of(file))
    entries = [] if index is None else _entries(index)
    return frozenset(str(entry["id"]) for entry in entries if isinstance(entry, dict) and "id" in entry)


def _entries(index: Path) -> list[Any]:
    """The cards an index names, as they stand there; raises `Refused`."""
    data = _json(index)
    entries = data.get("cards") if isinstance(data, dict) else None
    if not isinstance(entries, list):
        raise refuse(index.name, "the shelf cannot be read", "an object with a list of cards")
    return entries


def _json(file: Path) -> Any:
    content = disk.read_whole(file, MOST_CARD_BYTES, "a file of the shelf")
    return yard_json.parse(content, file.name)


class _Reader:
    """Reads the cards of a folder; documents that several of them share are made once."""

    def __init__(self, folder: Path):
        self.folder = folder
        self._made: dict[tuple[type, str], Any] = {}

    def document(self, model: type[Frozen], data: Any, where: str) -> Any:
        """The document in the data; raises `Refused`."""
        key = (model, json.dumps(data, sort_keys=True))
        if key not in self._made:
            self._made[key] = document.checked(model, data, where)
        return self._made[key]

    def card(self, entry: Any) -> Card:
        """The card of an entry of the index. Its run is not made or read yet, but that of an old format."""
        if not isinstance(entry, dict) or not _NAME.fullmatch(str(entry.get("id", ""))):
            raise refuse("index", "an entry is no card", "an object with the id of a run, of letters and digits")
        name = str(entry["id"])
        data = _json(self.folder / f"{name}.json")
        if not isinstance(data, dict):
            raise refuse(f"{name}.json", "is no card", "an object with craft, ground and drill")
        craft, drill = migrations.migrate_card(data["craft"], data["drill"])
        job = Job(
            self.document(Craft, craft, "craft"),
            self.document(Ground, data["ground"], "ground"),
            self.document(Drill, drill, "drill"),
            int(data["ticks"]),
            str(data["integrator"]),
            others=tuple(self.document(Craft, one, "others") for one in data.get("others", [])),
        )
        live = bool(data["live"])
        kept = self._live(name, job, data) if live else Kept(None, partial(run.execute, job), str(data["digest"]))
        if "found" in data:
            found, trail, seconds = _found(data["found"]), _trail(data["trail"]), float(data["seconds"])
        else:  # of the first version, which kept neither
            made = kept.load()
            found, trail, seconds = measures.read_all(made), trail_of(made), made.duration
        return Card(
            job,
            kept,
            str(entry["says"]),
            found,
            trail,
            live,
            str(data["message"]),
            seconds,
            float(entry["when"]),
            name,
            str(entry["title"]),
            bool(entry["pinned"]),
            bool(entry["starred"]),
        )

    def _live(self, name: str, job: Job, data: dict[str, Any]) -> Kept:
        layout = Layout.of(job)
        status, message = int(data["status"]), str(data["message"])
        if "records" not in data:
            return Kept(Run(job, _packed(self.folder / f"{name}.npz", layout), status, message, True), None)
        names = data["records"]
        if not names or not all(isinstance(one, str) and _RECORD.fullmatch(one) for one in names):
            raise refuse(f"{name}.json", "names no record", "files that end in .parquet")
        record = records.load([self.folder / one for one in names], layout)
        return Kept(None, partial(_checked, Run(job, record, status, message, True)))


def _checked(made: Run) -> Run:
    """A run whose record was read once from end to end, so that no damage is found in the middle of a paint."""
    for _ in made.record.chunks(records.CHUNK):
        pass
    return made


def _found(data: Any) -> dict[str, float | None]:
    return {str(name): None if value is None else float(value) for name, value in data.items()}


def _trail(data: Any) -> Any:
    made = np.asarray(data, dtype=np.float64).reshape(-1, 2)
    if not len(made) or not np.all(np.isfinite(made)):
        raise refuse("trail", "is no path", "points of two finite numbers")
    return made


def _packed(file: Path, layout: Layout) -> Record:
    """The record of a live drive of the first version."""
    with np.load(file, allow_pickle=False) as packed:
        rows = np.ascontiguousarray(packed["rows"].T)
    if rows.ndim != 2 or rows.shape[1] != layout.width or rows.shape[0] < 1:
        raise refuse(file.name, "does not fit its craft", f"{layout.width} columns")
    return Record(layout, [rows])


def files_of(file: Path) -> Iterable[Path]:
    """The yard file and everything in its folder of runs."""
    return [file, *sorted(folder_of(file).glob("*"))]
