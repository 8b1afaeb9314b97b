"""Reads the cards of a shelf: their documents at once, their runs when someone asks for them."""

from __future__ import annotations

import io
import json
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import disk, document, renames
from oak_sled.core.base.document import Frozen
from oak_sled.core.base.faults import refuse
from oak_sled.core.files import migrations, records, yard_json
from oak_sled.core.project import card_json
from oak_sled.core.project.card_json import CardData
from oak_sled.core.project.shelf import Card, Kept, trail_of
from oak_sled.core.results import measures, run
from oak_sled.core.results.record import Layout, Record
from oak_sled.core.results.run import Run
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill
from oak_sled.core.yard.ground import Ground

MOST_CARD_BYTES = 64_000_000


def json_of(file: Path) -> Any:
    """The values of a file of the shelf; raises `Refused`."""
    content = disk.read_whole(file, MOST_CARD_BYTES, "a file of the shelf")
    return yard_json.parse(content, file.name)


class CardReader:
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

    def card(self, read: Any) -> Card:
        """The card of an entry of the index. Its run is not made or read yet, but that of an old format."""
        entry = card_json.entry_of(read)
        data = card_json.card_of(json_of(self.folder / f"{entry.id}.json"), f"{entry.id}.json")
        craft, drill = migrations.migrate_card(data.craft, data.drill)
        job = Job(
            self.document(Craft, craft, "craft"),
            self.document(Ground, renames.renamed_data(Ground, data.ground), "ground"),
            self.document(Drill, drill, "drill"),
            data.ticks,
            data.integrator,
            others=tuple(self.document(Craft, renames.renamed_data(Craft, one), "others") for one in data.others),
        )
        kept = self._live(entry.id, job, data) if data.live else Kept(None, partial(run.execute, job), data.digest)
        if data.found is not None and data.trail is not None and data.seconds is not None:
            found, seconds = data.found, data.seconds
            trail = np.clip(np.asarray(data.trail, dtype=np.float64), -card_json.FAR, card_json.FAR)
        else:  # of the first version, which kept neither
            made = kept.load()
            found, trail, seconds = measures.read_all(made), trail_of(made), made.duration
        return Card(
            job,
            kept,
            entry.says,
            found,
            trail,
            data.live,
            data.message,
            seconds,
            entry.when,
            entry.id,
            entry.title,
            entry.pinned,
            entry.starred,
            entry.rated(),
        )

    def _live(self, name: str, job: Job, data: CardData) -> Kept:
        layout = Layout.of(job)
        if data.records is None:
            packed = _packed(self.folder / f"{name}.npz", layout)
            return Kept(Run(job, packed, data.status, data.message, True), None)
        if not data.records:
            raise refuse(f"{name}.json", "names no record", "files that end in .parquet")
        record = records.load([self.folder / one for one in data.records], layout)
        return Kept(None, partial(_checked, Run(job, record, data.status, data.message, True)))


def _checked(made: Run) -> Run:
    """A run whose record was read once from end to end, so that no damage is found in the middle of a paint."""
    rows = sum(len(rows) for rows in made.record.chunks(records.CHUNK))
    if not rows:
        raise refuse("record", "has no rows", "the record of a run")
    return made


def _packed(file: Path, layout: Layout) -> Record:
    """The record of a live drive of the first version."""
    content = disk.read_whole(file, MOST_CARD_BYTES, "a record of a run", file.name)
    with np.load(io.BytesIO(content), allow_pickle=False) as packed:
        rows = np.ascontiguousarray(packed["rows"].T)
    if rows.ndim != 2 or rows.shape[1] != layout.width or rows.shape[0] < 1:
        raise refuse(file.name, "does not fit its craft", f"{layout.width} columns")
    return Record(layout, [rows])
