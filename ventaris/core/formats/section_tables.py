"""Tables of a blade row as CSV: its sections, one row for each radius, and what comes in over the span."""
import csv
import io
from typing import NamedTuple

from .tables import MOST_BYTES, TableError, write_csv


class _Table(NamedTuple):
    """What a table and its rows are called, its columns with the field each fills, those it must have, and
    the most rows."""

    what: str
    rows: str
    columns: dict
    needed: tuple
    most: int


SECTIONS = _Table(
    "sections", "section", {
        "radius_m": "radius", "chord_m": "chord", "stagger_deg": "stagger", "camber_deg": "camber",
        "thickness": "thickness", "edge": "edge", "front": "front", "sweep_m": "sweep", "lean_m": "lean"
    }, ("radius_m", "chord_m", "stagger_deg", "camber_deg"), 24)
INLET = _Table(
    "what comes in", "station", {
        "span_percent": "span", "total_pressure_pa": "total_pressure", "total_temperature_k":
        "total_temperature", "angle_deg": "swirl"
    }, ("span_percent", ), 60)


def write_sections(sections):
    """CSV text of section dicts as a sheet holds them."""
    return _write(SECTIONS, sections)


def read_sections(data):
    """Section dicts of a CSV table (bytes), from the hub outwards; raises TableError, which names the column
    or the line."""
    return _read(SECTIONS, data)


def write_inlet(stations):
    """CSV text of the stations of an inlet's profile, as a sheet holds them."""
    return _write(INLET, stations)


def read_inlet(data, otherwise):
    """Stations of an inlet's profile of a CSV table (bytes); what the table has no column for is as
    `otherwise` has it, a dict. Raises TableError, which names the column or the line."""
    return [{**otherwise, **station} for station in _read(INLET, data)]


def _write(table, rows):
    return write_csv({column: [float(row[field]) for row in rows] for column, field in table.columns.items()})


def _read(table, data):
    """The rows of a table as dicts."""
    rows = _lines(table, data)
    names, known = [name.strip().lower() for name in rows[0]], ", ".join(table.columns)
    missing = [name for name in table.needed if name not in names]
    if missing:
        raise TableError(
            f"The table lacks the column{'s' if len(missing) > 1 else ''} {', '.join(missing)}. Its first "
            f"line names the columns; known are {known}.")
    unknown = [name for name in names if name not in table.columns]
    if unknown:
        raise TableError(f"“{unknown[0][:40]}” is no column of {table.what}; known are {known}.")
    if len(rows) - 1 > table.most:
        raise TableError(
            f"The table has {len(rows) - 1} {table.rows}s; at most {table.most}. Thin it out.")
    if len(rows) < 2:
        raise TableError(f"The table names its columns and has no {table.rows} below them.")
    out = []
    for number, row in enumerate(rows[1:], start=2):
        if len(row) != len(names):
            raise TableError(
                f"Line {number} has {len(row)} values, and the first line names {len(names)} columns.")
        try:
            out.append({table.columns[name]: float(value) for name, value in zip(names, row)})
        except ValueError:
            bad = next(value for value in row if not _is_number(value))
            raise TableError(f"Line {number}: “{bad[:40]}” is no number.") from None
    return out


def _lines(table, data):
    """Lines of a CSV file as lists of texts, without comments; the first one names the columns."""
    if len(data) > MOST_BYTES:
        raise TableError(
            f"The file holds {len(data) / 1e6:.1f} MB; a table of {table.what} needs a few lines.")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise TableError("The file is no text. Save the table as CSV in UTF-8.") from None
    lines = [line for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")]
    if not lines:
        raise TableError("The file is empty. Its first line names the columns: " + ", ".join(table.columns) +
                         ".")
    delimiter = next((d for d in (";", "\t", ",") if d in lines[0]), ",")
    return list(csv.reader(io.StringIO("\n".join(lines)), delimiter=delimiter))


def _is_number(value):
    try:
        float(value)
    except ValueError:
        return False
    return True
