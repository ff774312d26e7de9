"""Reading Parquet and Arrow (Feather) files."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from basso.errors import FormatError
from basso.formats.arrays import finite
from basso.formats.assemble import assemble
from basso.formats.kinds import ARROW_STREAM
from basso.formats.options import ReadOptions
from basso.formats.reader_notes import ReaderNotes
from basso.formats.rows import columns_of
from basso.formats.table import TextTable
from basso.progress import Progress
from basso.recording.recording import Recording

if TYPE_CHECKING:
    import polars as pl

    from basso.units import FloatArray


def read(path: Path, options: ReadOptions, progress: Progress) -> Recording:
    """Read a table of columns; a unit may stand in a column's name, as in text logs.

    Raises:
        FormatError: it is damaged, too short, or in the outdated first form.
    """
    import polars as pl

    progress(0.0, f"reading {path.name}")
    facts: dict[str, str] = {}
    with path.open("rb") as stream:
        head = stream.read(6)
    if head[:4] == b"FEA1":
        raise FormatError(path, "is in the first, outdated Feather format", "write it again as Arrow, Parquet or CSV")
    parquet = head[:4] == b"PAR1"
    # The library reads past Python's buffer, so each look gets a stream of its own; a stream, since it takes the
    # brackets and stars of a name for a pattern.
    try:
        if parquet:
            with path.open("rb", buffering=0) as stream:
                facts = _facts(pl.read_parquet_metadata(stream))
        with path.open("rb", buffering=0) as stream:
            if parquet:
                frame = pl.read_parquet(stream)
            elif head[:4] == ARROW_STREAM:
                frame = pl.read_ipc_stream(stream)
            else:
                frame = pl.read_ipc(stream)
    except (pl.exceptions.PolarsError, pl.exceptions.PanicException, OSError, ValueError):
        raise FormatError(path, "is damaged or was cut short", "copy it from where it was written again") from None
    if frame.height < 2:
        raise FormatError(path, "has fewer than two rows of data", "export the whole session again")
    progress(0.6, f"recognising the columns of {path.name}")
    notes = ReaderNotes()
    table, units = _table(frame)
    del frame
    columns, started = columns_of(path, table, units, options, facts, notes)
    return assemble(path, "Parquet" if parquet else "Arrow", columns, options, notes, facts, started)


def _facts(metadata: dict[str, str]) -> dict[str, str]:
    """Session facts in a Parquet file's key–value metadata; what table libraries keep there for themselves is not."""
    return {
        k: v for k, v in metadata.items() if len(v) < 200 and not k.startswith(("ARROW", "pandas", "org.", "polars"))
    }


def _table(frame: pl.DataFrame) -> tuple[TextTable, list[str]]:
    """Columns as numbers, and a unit for those whose type is a time: seconds, since 1970 where it is a date."""
    columns: list[FloatArray | pl.Series] = []
    units: list[str] = []
    for series in frame.get_columns():
        numbers, unit = _numbers(series)
        columns.append(numbers)
        units.append(unit)
    textual = frozenset(i for i, c in enumerate(columns) if not isinstance(c, np.ndarray))
    return TextTable(tuple(frame.columns), columns, textual), units


def _numbers(series: pl.Series) -> tuple[FloatArray | pl.Series, str]:
    import polars as pl

    kind = series.dtype
    if kind == pl.String:
        # Numbers that were kept as text are numbers all the same.
        made = series.cast(pl.Float64, strict=False)
        return (finite(made.to_numpy()), "") if made.null_count() == series.null_count() else (series, "")
    if kind in (pl.Datetime, pl.Date, pl.Time, pl.Duration):
        whole = series.dt.cast_time_unit("us").dt.epoch("us") if kind == pl.Datetime else series
        if kind == pl.Date:
            whole = series.cast(pl.Datetime("us")).dt.epoch("us")
        elif kind == pl.Duration:
            whole = series.dt.total_microseconds(fractional=True)
        elif kind == pl.Time:
            whole = series.cast(pl.Int64) / 1000
        return whole.cast(pl.Float64).to_numpy() * 1e-6, "s"
    if kind.is_numeric() or kind == pl.Boolean:
        return finite(series.cast(pl.Float64).to_numpy()), ""
    return pl.Series(series.name, [""] * series.len()), ""
