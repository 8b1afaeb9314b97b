"""The shelf on disk: a folder beside the yard file, FILE.runs, with a small file a card and an index.

Cards never change once written. The index is named after the content of the yard it belongs to, and the yard is
replaced last: whoever is killed in between leaves the old yard with its old index. What cannot be read stays where it
is; only files that this index once named, and whose run the user removed, are removed.

A drill is run again from the documents it was made of when someone looks at it, and its fingerprint is compared; a
live drive keeps its record (see `records`).
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import re
from collections.abc import Callable, Collection, Iterable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

from oak_sled.core.base import disk
from oak_sled.core.base.faults import Refused, refuse
from oak_sled.core.base.json_text import text_of
from oak_sled.core.files import records, yard_json
from oak_sled.core.project import card_json
from oak_sled.core.project.card_reader import CardReader, json_of
from oak_sled.core.project.shelf import Card
from oak_sled.core.results.record import Record
from oak_sled.core.tick.rows import Sealed
from oak_sled.core.yard.yard import Yard

OnProgress = Callable[[int, int], None]
"""on_progress(done, of): rows written or cards read so far. What it raises ends the work; nothing is left half done."""
MOST_NAME = 250
"""Bytes of the name of a yard file to which an ending may be put: file systems take 255."""
_NAME = re.compile(r"[0-9A-Za-z]{1,40}")
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
    """The folder of the runs of a yard file: one for each full file name, beside the file itself where `file` is a
    link, since that is what a save replaces."""
    real = Path(os.path.realpath(file))
    return real.with_name(_runs_name(real.name))


def _runs_name(name: str) -> str:
    """A name for a folder, cut to what file systems take; two long names stay two."""
    if len(os.fsencode(name)) <= MOST_NAME:
        return f"{name}.runs"
    seal = hashlib.sha256(os.fsencode(name)).hexdigest()[:8]
    return f"{disk.cut(name, MOST_NAME - len(seal) - 1)}.{seal}.runs"


def _folders_of(file: Path) -> Iterator[Path]:
    """Folders where the runs of a yard may lie: its own, or beside the link by which earlier versions saved it."""
    yield folder_of(file)
    if file.is_symlink():
        yield file.with_name(f"{file.name}.runs")


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
    content = yard_json.encoded(yard)
    stamp = _stamp(content)
    folder = folder_of(file)
    tidy: list[Path] = []
    with _nothing_left(folder) as made:
        if cards or folder.exists():
            tidy = _save_shelf(cards, file, stamp, gone, on_progress, in_parts, made)
        disk.write_whole(file, content)  # from here on the new index holds
    if not folder.is_symlink():
        for old in tidy:
            if not old.is_symlink():
                old.unlink(missing_ok=True)
    return stamp


@contextlib.contextmanager
def _nothing_left(folder: Path) -> Iterator[list[Path]]:
    """Files that a save makes; where it is refused or cancelled they go again, and the folder if it was not there."""
    made: list[Path] = []
    was_there = folder.exists()
    try:
        yield made
    except BaseException:
        for file in made:
            with contextlib.suppress(OSError):
                file.unlink()
        if not was_there:
            with contextlib.suppress(OSError):
                folder.rmdir()
        raise


def _save_shelf(
    cards: tuple[Card, ...],
    file: Path,
    stamp: str,
    gone: Collection[str],
    on_progress: OnProgress | None,
    in_parts: bool,
    made: list[Path],
) -> list[Path]:
    """Writes new cards and the index of a yard that is about to be written; what may go once it is there.

    made : takes the files that were not there before.
    """
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
            _write_card(card, folder, progress, in_parts, made)
    kept = {card.id for card in cards}
    index = [card_json.index_entry_of(card) for card in cards]
    index += [entry for entry in entries if not (isinstance(entry, dict) and entry.get("id") in kept | set(gone))]
    target = folder / f"shelf-{stamp}.json"
    count = 1 + max((_count_of(one) for one in folder.glob(_INDEX)), default=0)
    if target.exists():
        made.clear()  # it is the index of the yard as it lies there: from here on the new cards are part of it
    else:
        made.append(target)
    disk.write_whole(target, _text({"yard": stamp, "count": count, "cards": index}))
    tidy = [] if present is None or present == target else [present]
    for name in set(gone) & names - kept:
        if _NAME.fullmatch(name):
            tidy += [folder / f"{name}{ending}" for ending in (".json", ".parquet", ".npz")]
    return tidy


def _is_there(folder: Path, card: Card) -> bool:
    return (folder / f"{card.id}.json").exists()


def _can_be_had(card: Card) -> bool:
    """True if a card can be written to another folder: a damaged record must not keep the yard from being saved.

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


def _write_card(card: Card, folder: Path, progress: _Progress, in_parts: bool, made: list[Path]) -> None:
    names = []
    if card.live:
        names = _write_record(card, folder, progress, in_parts, made)
    made.append(folder / f"{card.id}.json")
    disk.write_whole(made[-1], _text({**card_json.data_of(card), "records": names}))


def _write_record(card: Card, folder: Path, progress: _Progress, in_parts: bool, made: list[Path]) -> list[str]:
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
        made.append(path)
        records.save(piece, path, progress.add)
    return [name for name, _ in pieces]


def _unpacked(record: Record) -> Record:
    """The same record, with its rows at hand where it is one sealed block."""
    only = record.blocks[0]
    if len(record.blocks) > 1 or not isinstance(only, Sealed):
        return record
    return Record(record.layout, only.chunks(len(only)))


def _text(data: Any) -> bytes:
    try:
        return text_of(data).encode()
    except ValueError as error:
        raise refuse(yard_json.unwritable(data) or "card", f"cannot be written: {error}", "finite numbers") from None


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
    found = (_index_of(folder, stamp) for folder in _folders_of(file))
    index = next((one for one in found if one is not None), None)
    if index is None:  # a shelf of the first version: a folder for each name without its ending
        old = file.with_name(f"{file.stem}.runs") / _OLD_INDEX
        if not old.exists():
            return (), ()
        index = old
    try:
        entries = _entries(index)
    except Refused as refused:
        return (), (f"{refused.faults[0]}; the yard is whole",)
    reader = CardReader(index.parent)
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
    """The index of a yard: that of its content, else the newest (the yard was edited by hand), or None.

    The newest is that of the highest count; clocks go back, and copies take the time of the copying.
    """
    if stamp and (folder / f"shelf-{stamp}.json").exists():
        return folder / f"shelf-{stamp}.json"
    found = [one for one in sorted(folder.glob(_INDEX)) if one.is_file()]
    return max(found, key=lambda one: (_count_of(one), one.stat().st_mtime), default=None)


def _count_of(index: Path) -> int:
    """Number of times the shelf had been saved when this index was; 0 if it does not say."""
    try:
        count = json_of(index).get("count", 0)
    except (Refused, AttributeError):
        return 0
    return count if isinstance(count, int) and not isinstance(count, bool) else 0


def _entries(index: Path) -> list[Any]:
    """The cards an index names, as they stand there; raises `Refused`."""
    data = json_of(index)
    entries = data.get("cards") if isinstance(data, dict) else None
    if not isinstance(entries, list):
        raise refuse(index.name, "the shelf cannot be read", "an object with a list of cards")
    return entries


def files_of(file: Path) -> Iterable[Path]:
    """The yard file and everything in its folder of runs."""
    return [file, *sorted(folder_of(file).glob("*"))]
