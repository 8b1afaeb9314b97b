"""Records of runs on disk: Parquet files, a column a trace by its name, a group of rows a block.

Parquet (pyarrow) was chosen over the packed arrays of before, since a column can be read without the others, a block
without the rest, and an hour of driving is written block by block: named columns, each with a checksum, in a format
that other tools read. Its CSV writer is also what makes a CSV of an hour a matter of seconds.
"""

from __future__ import annotations

import re
import tempfile
import weakref
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, BinaryIO, TypeVar

import numpy as np

from oak_sled.core.base import disk
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import refuse
from oak_sled.core.results.record import Layout, Record
from oak_sled.core.tick.rows import Block

_LATER = re.compile(r"block\..*\.(velocity|spin|(pushes|gravity|air|contacts)\.(force|torque))\.[xyz]|(.*/)?input\..*")
"""Columns that records of earlier versions do not have."""
CHUNK = 7200
"""Rows of a group."""
Piece = TypeVar("Piece")


def save(record: Record, path: Path, on_progress: Callable[[int], None] | None = None) -> None:
    """Writes a record, whole or not at all; raises `Refused`. Never holds more than two blocks of it: one is unpacked
    while that before is written.

    on_progress(rows) : rows more that were written; what it raises ends the writing.
    """
    with disk.written(path) as file:
        _write(record, file, on_progress)


def _write(record: Record, file: BinaryIO, on_progress: Callable[[int], None] | None = None) -> None:
    import pyarrow as pa

    schema = pa.schema([(name, pa.float64()) for name in record.layout.stored])
    with writer(file, schema) as into:
        for rows in ahead(record.chunks(CHUNK)):
            into.write_table(table(rows, schema), row_group_size=len(rows))
            if on_progress is not None:
                on_progress(len(rows))


def writer(file: BinaryIO, schema: Any) -> Any:
    """A writer of Parquet as all records are written."""
    import pyarrow.parquet as pq

    return pq.ParquetWriter(
        file,
        schema,
        compression="zstd",
        compression_level=1,
        use_dictionary=False,
        use_byte_stream_split=True,  # bytes of equal weight side by side: the slow ones repeat
        write_statistics=False,
        write_page_checksum=True,
    )


def ahead(pieces: Iterable[Piece]) -> Iterator[Piece]:
    """The same pieces, each made in a thread of its own while the one before is in use."""
    left = iter(pieces)
    with ThreadPoolExecutor(1, thread_name_prefix="oak-sled-unpack") as pool:
        coming = pool.submit(next, left, None)
        while (piece := coming.result()) is not None:
            coming = pool.submit(next, left, None)
            yield piece


def table(rows: Floats, schema: Any) -> Any:
    """Rows, shape (n, width), as an Arrow table of that schema."""
    import pyarrow as pa

    columns = np.ascontiguousarray(rows.T)
    return pa.table([pa.array(column) for column in columns], schema=schema)


class Stored(Block):
    """A block of a record that lies in a file; columns are read when they are asked for.

    The file is held open from the start, so that it can be read even after it was removed. Raises `Refused` when it
    is no record, lacks one of `names`, or a checksum is wrong.
    """

    def __init__(self, file: BinaryIO, where: str, names: Sequence[str]):
        self._where = where
        self._names = list(names)
        self._file = file
        weakref.finalize(self, self._file.close)
        self._open: Any = None
        self._there: set[str] = set()
        self._group: tuple[int, Floats] | None = None

    @classmethod
    def at(cls, path: Path, names: Sequence[str]) -> Stored:
        """The block in a file; raises `Refused` where it cannot be opened."""
        return cls(disk.open_regular(path, "a record of a run", path.name), path.name, names)

    def _reader(self) -> Any:
        if self._open is None:
            import pyarrow as pa
            import pyarrow.parquet as pq

            try:
                found = pq.ParquetFile(self._file, page_checksum_verification=True)
            except (pa.ArrowException, OSError, ValueError) as error:
                raise self._damaged(error) from None
            there = set(found.schema_arrow.names)
            missing = [name for name in self._names if name not in there and not _LATER.fullmatch(name)]
            self._there = there
            if missing:
                raise refuse(self._where, f"has no column {missing[0]!r}", "the record of this craft on this ground")
            self._ends = np.cumsum([found.metadata.row_group(k).num_rows for k in range(found.num_row_groups)])
            self._open = found
        return self._open

    def _damaged(self, error: Exception) -> Exception:
        return refuse(self._where, "is damaged", f"a whole record ({type(error).__name__})")

    def _read(self, reader: Any, names: list[str]) -> Floats:
        try:
            known = [name for name in names if name in self._there]
            found = reader(columns=known or self._names[:1])
            unknown = np.full(found.num_rows, np.nan)  # of a record from before it was kept
            columns = [found.column(name).to_numpy() if name in self._there else unknown for name in names]
        except Exception as error:  # pyarrow raises what its codecs raise
            raise self._damaged(error) from None
        return np.stack([np.asarray(column, dtype=np.float64) for column in columns], axis=1)

    def check(self) -> None:
        """Raises `Refused` when the file is not the record that is wanted."""
        self._reader()

    def __len__(self) -> int:
        return int(self._reader().metadata.num_rows)

    def column(self, place: int) -> Floats:
        """One column, shape (rows,)."""
        return np.ascontiguousarray(self._read(self._reader().read, [self._names[place]])[:, 0])

    def __getitem__(self, row: int) -> Floats:
        """One row, shape (width,); its group is kept, since a cursor asks for neighbours."""
        reader = self._reader()
        number = int(np.searchsorted(self._ends, row, side="right"))
        if self._group is None or self._group[0] != number:
            self._group = number, self._read(lambda columns: reader.read_row_group(number, columns), self._names)
        first = 0 if number == 0 else int(self._ends[number - 1])
        return self._group[1][row - first]

    def chunks(self, most: int) -> Iterable[Floats]:
        """All rows in pieces, shape (n, width)."""
        reader = self._reader()
        for number in range(reader.num_row_groups):
            rows = self._read(lambda columns, number=number: reader.read_row_group(number, columns), self._names)
            for first in range(0, len(rows), most):
                yield rows[first : first + most]

    @property
    def nbytes(self) -> int:
        """Bytes it takes in memory."""
        return 0 if self._group is None else self._group[1].nbytes


def load(paths: Sequence[Path], layout: Layout) -> Record:
    """The record in one or more files, one after the other; raises `Refused`. Nothing of it is read yet."""
    return Record(layout, [Stored.at(path, layout.stored) for path in paths])


def put_by(record: Record, folder: Path) -> Record:
    """The record in a file without a name, which is gone when nobody reads from it any more; raises `Refused`."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        file = tempfile.TemporaryFile(dir=folder)  # noqa: SIM115
        _write(record, file)
        file.flush()
    except OSError as error:
        raise disk.refusal(folder, error) from None
    return Record(record.layout, [Stored(file, "a run that was put by", record.layout.stored)])
