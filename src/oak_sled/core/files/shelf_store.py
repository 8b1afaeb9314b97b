"""The shelf on disk: a folder beside the yard file, NAME.runs, with a small file a card.

A drill is run again from the documents it was made of when it is opened, and its fingerprint is
compared; a live drive keeps its record, compressed without loss.
"""

from __future__ import annotations

import io
import json
import shutil
from pathlib import Path
from typing import Any

import numpy as np

from oak_sled.core import document, measures, run
from oak_sled.core.craft import Craft
from oak_sled.core.faults import Refused, refuse
from oak_sled.core.files import yard_json
from oak_sled.core.record import Layout, Record
from oak_sled.core.run import Run
from oak_sled.core.shelf import Card
from oak_sled.core.world import Job
from oak_sled.core.yard import Drill, Ground, Yard

INDEX = "shelf.json"


def folder_of(file: Path) -> Path:
    """The folder of the runs of a yard file."""
    return file.with_name(f"{file.stem}.runs")


def save_all(yard: Yard, cards: tuple[Card, ...], file: Path) -> None:
    """Writes the yard and its shelf. Runs first, so that the yard never names what is not there."""
    save(cards, folder_of(file))
    yard_json.save(yard, file)


def load_all(file: Path) -> tuple[Yard, tuple[Card, ...], tuple[str, ...]]:
    """A yard, its shelf, and a line for each card that could not be read."""
    yard = yard_json.load(file)
    cards, lost = load(folder_of(file))
    return yard, cards, lost


def save(cards: tuple[Card, ...], folder: Path) -> None:
    """Writes every card that is not there yet, then the index, then removes what is no longer kept."""
    if not cards and not folder.exists():
        return
    for card in cards:
        file = folder / f"{card.id}.json"
        if not file.exists():
            if card.run.live:
                yard_json.write_whole(folder / f"{card.id}.npz", _packed(card.run))
            yard_json.write_whole(file, _text(_card_data(card)))
    index = [
        {"id": c.id, "title": c.title, "pinned": c.pinned, "starred": c.starred, "says": c.says, "when": c.when}
        for c in cards
    ]
    yard_json.write_whole(folder / INDEX, _text({"cards": index}))
    kept = {card.id for card in cards}
    for old in folder.glob("*.*"):
        if old.suffix in (".json", ".npz") and old.name != INDEX and old.stem not in kept:
            old.unlink(missing_ok=True)


def _text(data: Any) -> bytes:
    return (json.dumps(data, indent=1, ensure_ascii=False) + "\n").encode()


def _card_data(card: Card) -> dict[str, Any]:
    job = card.run.job
    return {
        "craft": job.craft.model_dump(mode="json"),
        "ground": job.ground.model_dump(mode="json"),
        "drill": job.drill.model_dump(mode="json"),
        "ticks": job.ticks,
        "integrator": job.integrator,
        "live": card.run.live,
        "status": card.run.status,
        "message": card.run.message,
        "digest": card.run.digest,
    }


def _packed(made: Run) -> bytes:
    rows = np.stack([made.record.column(place) for place in range(made.layout.width)])
    buffer = io.BytesIO()
    np.savez_compressed(buffer, rows=rows)
    return buffer.getvalue()


def load(folder: Path) -> tuple[tuple[Card, ...], tuple[str, ...]]:
    """The cards of a folder in their order, and a line for each that could not be read."""
    if not (folder / INDEX).exists():
        return (), ()
    try:
        index = json.loads((folder / INDEX).read_text(encoding="utf-8"))["cards"]
    except (OSError, ValueError, KeyError, TypeError):
        return (), (f"{folder / INDEX}: the shelf cannot be read; the yard is whole",)
    cards, lost = [], []
    for entry in index:
        try:
            cards.append(_read_card(folder, entry))
        except Refused as refused:
            lost.append(str(refused.faults[0]))
        except (OSError, ValueError, KeyError, TypeError) as error:
            name = entry.get("id", "?") if isinstance(entry, dict) else "?"
            lost.append(f"run {name}: cannot be read ({type(error).__name__})")
    return tuple(cards), tuple(lost)


def _read_card(folder: Path, entry: dict[str, Any]) -> Card:
    name = str(entry["id"])
    if not name.isalnum():
        raise refuse(f"run {name!r}", "is not the name of a run", "letters and digits")
    data = json.loads((folder / f"{name}.json").read_text(encoding="utf-8"))
    job = Job(
        document.checked(Craft, data["craft"], f"run {name}.craft"),
        document.checked(Ground, data["ground"], f"run {name}.ground"),
        document.checked(Drill, data["drill"], f"run {name}.drill"),
        int(data["ticks"]),
        str(data["integrator"]),
    )
    says = str(entry["says"])
    if data["live"]:
        made = _read_live(folder / f"{name}.npz", job, data)
    else:
        made = run.execute(job)
        if made.digest != data["digest"]:
            says += " (run again: differs)"
    return Card(
        made,
        says,
        measures.read_all(made),
        float(entry["when"]),
        name,
        str(entry["title"]),
        bool(entry["pinned"]),
        bool(entry["starred"]),
    )


def _read_live(file: Path, job: Job, data: dict[str, Any]) -> Run:
    layout = Layout.of(job.craft, job.ground)
    with np.load(file, allow_pickle=False) as packed:
        rows = np.ascontiguousarray(packed["rows"].T)
    if rows.ndim != 2 or rows.shape[1] != layout.width or rows.shape[0] < 1:
        raise refuse(str(file), "does not fit its craft", f"{layout.width} columns")
    return Run(job, Record(layout, [rows]), int(data["status"]), str(data["message"]), True)


def remove(file: Path) -> None:
    """Takes a yard file and its runs away (an autosave that is no longer needed)."""
    file.unlink(missing_ok=True)
    shutil.rmtree(folder_of(file), ignore_errors=True)
