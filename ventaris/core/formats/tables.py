"""Curves and histories as CSV, and measured data from CSV."""
import csv
import io
import math
import re

import numpy as np

MOST_BYTES = 2_000_000
MOST_ROWS = 20_000


class TableError(ValueError):
    """The table cannot be read; the message says where and how to mend it."""


def write_csv(columns):
    """Columns of equal length as CSV text.

    Parameters
    ----------
    columns : dict of str to sequence
    """
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(columns)
    for row in zip(*columns.values()):
        writer.writerow([f"{v:.10g}" if isinstance(v, float) else v for v in row])
    return out.getvalue()


def read_columns(text):
    """A table as `write_csv` makes it: {column: ndarray}, NaN where nothing stands, words as str."""
    header, *rows = csv.reader(io.StringIO(text))
    out = {}
    for name, *values in zip(header, *rows):
        try:
            out[name] = np.array([float(value) if value else np.nan for value in values])
        except ValueError:
            out[name] = np.array(values)
    return out


def read_measured(data):
    """Measured data: the first column against the others.

    Parameters
    ----------
    data : bytes or str
        Comma, semicolon, tab or blank separated, with or without a header line.

    Returns
    -------
    dict of str to list of float
        The first entry is the abscissa.

    Raises
    ------
    TableError
    """
    if len(data) > MOST_BYTES:
        raise TableError(
            f"The file holds {len(data) / 1e6:.1f} MB; at most {MOST_BYTES / 1e6:.0f} MB. Thin the data out.")
    text = data if isinstance(data, str) else _decode(data)
    header, rows = None, []
    for number, line in enumerate(text.splitlines(), start=1):
        line = line.strip()
        if not line or line[0] in "#%":
            continue
        fields = [f.strip().strip('"') for f in _split(line)]
        try:
            values = [float(f) for f in fields]
        except ValueError:
            if rows:
                raise TableError(
                    f"Line {number} holds “{line[:40]}”, not numbers. Remove that line.") from None
            header = fields
            continue
        if not all(map(math.isfinite, values)):
            raise TableError(f"Line {number} holds a value that is not finite. Remove that line.")
        if rows and len(values) != len(rows[0]):
            raise TableError(
                f"Line {number} has {len(values)} columns, the lines before it have {len(rows[0])}.")
        rows.append(values)
        if len(rows) > MOST_ROWS:
            raise TableError(f"More than {MOST_ROWS} rows. Thin the data out.")
    if not rows or len(rows[0]) < 2:
        raise TableError(
            "Two or more columns of numbers are needed: the station first, then the measured values.")
    names = header if header and len(header) == len(
        rows[0]) else ["x"] + [f"column {k + 2}" for k in range(len(rows[0]) - 1)]
    return {(name or f"column {k + 1}")[:40]: [row[k] for row in rows] for k, name in enumerate(names)}


def _decode(data):
    if b"\0" in data[:4096]:
        raise TableError("The file is binary, not text. Save it as CSV.")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("latin-1")


def _split(line):
    for mark in (";", "\t", ","):
        if mark in line:
            return line.split(mark)
    return re.split(r"\s+", line)
