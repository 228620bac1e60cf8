"""Tables as CSV, JSON, JSON Lines and Parquet, written as their rows come.

Text from the air is printable in all of them; in CSV no cell is taken for a formula by a spreadsheet.
"""

import csv
import io
import json
import math
from collections.abc import Callable, Iterator, Sequence
from functools import lru_cache
from typing import Any, BinaryIO

import numpy as np

from gray_kettle.errors import KettleError
from gray_kettle.export.data.table import Batch, Table
from gray_kettle.safe_text import no_formula, printable

_MOST_TEXTS = 1 << 14
_CELLS_A_GROUP = 4_000_000  # of Parquet: each group describes each column anew
FORMATS = ("csv", "json", "jsonl", "parquet")
Progress = Callable[[int], None]


def write_table(table: Table, file: BinaryIO, form: str, progress: Progress = lambda rows: None) -> None:
    """form: one of FORMATS. progress: rows written so far. Raises: KettleError, for Parquet without its library."""
    {"csv": _write_csv, "json": _write_json, "jsonl": _write_json_lines, "parquet": _write_parquet}[form](
        table, file, progress
    )


def _rows(table: Table, text: Callable[[str], str]) -> Iterator[Sequence[Any]]:
    cleaned = lru_cache(_MOST_TEXTS)(text)  # a name comes thousands of times
    for batch in table.rows():
        columns = [_plain(batch[c.name], str if c.kind == "datetime" else cleaned) for c in table.columns]
        yield from zip(*columns, strict=True)


def _plain(values: Sequence[Any], text: Callable[[str], str]) -> list[Any]:
    """Python values: what is not known is None."""
    if isinstance(values, np.ndarray):
        if values.dtype.kind == "f":
            found = values.tolist()
            return [None if math.isnan(v) else v for v in found] if np.isnan(values).any() else list(found)
        if values.dtype.kind != "O":
            return list(values.tolist())
    return [_value(v, text) for v in values]


def _value(value: Any, text: Callable[[str], str]) -> Any:
    if isinstance(value, str):
        return text(value)
    if isinstance(value, float) and math.isnan(value):
        return None
    return value


def _write_csv(table: Table, file: BinaryIO, progress: Progress) -> None:
    wrapped = io.TextIOWrapper(file, encoding="utf-8", errors="replace", newline="", write_through=True)
    writer = csv.writer(wrapped)
    writer.writerow([column.name for column in table.columns])
    known_bools = {True: "true", False: "false", None: ""}
    bools = [k for k, column in enumerate(table.columns) if column.kind == "boolean"]
    for count, row in enumerate(_rows(table, no_formula), 1):
        if bools:
            listed = list(row)
            for k in bools:
                listed[k] = known_bools[listed[k]]
            writer.writerow(listed)
        else:
            writer.writerow(row)
        if count % 10_000 == 0:
            progress(count)
    wrapped.detach()


def _write_json_lines(table: Table, file: BinaryIO, progress: Progress) -> None:
    names = [column.name for column in table.columns]
    for count, row in enumerate(_rows(table, printable), 1):
        file.write(_json(dict(zip(names, row, strict=True))) + b"\n")
        if count % 10_000 == 0:
            progress(count)


def _write_json(table: Table, file: BinaryIO, progress: Progress) -> None:
    names = [column.name for column in table.columns]
    file.write(b'{"schema": "gray-kettle/table/1", "table": ' + _json(table.name) + b', "rows": [')
    for count, row in enumerate(_rows(table, printable), 1):
        file.write((b"\n" if count == 1 else b",\n") + _json(dict(zip(names, row, strict=True))))
        if count % 10_000 == 0:
            progress(count)
    file.write(b"\n]}\n")


def _json(value: Any) -> bytes:
    return json.dumps(value, ensure_ascii=False, allow_nan=False).encode("utf-8", "replace")


def _write_parquet(table: Table, file: BinaryIO, progress: Progress) -> None:
    try:
        import pyarrow as pa
        import pyarrow.parquet as pq
    except ImportError:
        raise KettleError(
            "Parquet needs the library pyarrow: install gray-kettle[parquet], or write .csv, .json or .jsonl."
        ) from None
    kinds = {"string": pa.string(), "number": pa.float64(), "integer": pa.int64(), "boolean": pa.bool_(),
             "datetime": pa.timestamp("us", "UTC")}  # fmt: skip
    schema = pa.schema(
        [pa.field(c.name, kinds[c.kind], metadata={"description": c.about}) for c in table.columns],
        metadata={"title": table.title},
    )
    count = 0
    strings = [
        c.name for c in table.columns if c.kind == "string"
    ]  # a dictionary for each of 1,000 bins takes memory
    with pq.ParquetWriter(
        file, schema, compression="zstd", use_dictionary=strings, write_statistics=strings
    ) as writer:
        held: list[Any] = []
        rows = 0
        for batch in table.rows():
            held.append(pa.Table.from_arrays(_arrow_arrays(table, batch, schema), schema=schema))
            rows += held[-1].num_rows
            if rows * len(table.columns) >= _CELLS_A_GROUP:
                writer.write_table(pa.concat_tables(held))
                count, rows, held = count + rows, 0, []
                progress(count)
        if held:
            writer.write_table(pa.concat_tables(held))


def _arrow_arrays(table: Table, batch: Batch, schema: Any) -> list[Any]:
    import pyarrow as pa

    arrays = []
    for column, field in zip(table.columns, schema, strict=True):
        values = batch[column.name]
        if column.kind == "number" and isinstance(values, np.ndarray):
            arrays.append(pa.array(values, field.type, from_pandas=True))  # NaN: not known
        elif column.kind == "datetime":
            stamps = np.array([v.rstrip("Z") if v else "NaT" for v in values], "datetime64[us]")
            arrays.append(pa.array(stamps, pa.timestamp("us")).cast(field.type))
        else:
            arrays.append(pa.array(_plain(values, printable), field.type))
    return arrays
