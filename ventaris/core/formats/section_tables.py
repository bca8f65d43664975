"""Sections of blades as CSV: one row for each radius, from the hub outwards."""
import csv
import io

from .tables import MOST_BYTES, TableError, write_csv

# Columns with their units, and the field each fills; those behind the first four may be missing.
COLUMNS = {
    "radius_m": "radius",
    "chord_m": "chord",
    "stagger_deg": "stagger",
    "camber_deg": "camber",
    "thickness": "thickness",
    "edge": "edge",
    "front": "front",
    "sweep_m": "sweep",
    "lean_m": "lean"
}
NEEDED = ("radius_m", "chord_m", "stagger_deg", "camber_deg")
MOST_ROWS = 24


def write_sections(sections):
    """CSV text of section dicts as a sheet holds them."""
    return write_csv({column: [float(s[field]) for s in sections] for column, field in COLUMNS.items()})


def read_sections(data):
    """Section dicts of a CSV table.

    Parameters
    ----------
    data : bytes

    Raises
    ------
    TableError
        It names the column or the line.
    """
    if len(data) > MOST_BYTES:
        raise TableError(f"The file holds {len(data) / 1e6:.1f} MB; a table of sections needs a few lines.")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise TableError("The file is no text. Save the table as CSV in UTF-8.") from None
    lines = [line for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")]
    if not lines:
        raise TableError("The file is empty. Its first line names the columns: " + ", ".join(COLUMNS) + ".")
    delimiter = next((d for d in (";", "\t", ",") if d in lines[0]), ",")
    rows = list(csv.reader(io.StringIO("\n".join(lines)), delimiter=delimiter))
    names = [name.strip().lower() for name in rows[0]]
    missing = [name for name in NEEDED if name not in names]
    if missing:
        raise TableError(
            f"The table lacks the column{'s' if len(missing) > 1 else ''} {', '.join(missing)}. Its first "
            f"line names the columns; known are {', '.join(COLUMNS)}.")
    unknown = [name for name in names if name not in COLUMNS]
    if unknown:
        raise TableError(f"“{unknown[0][:40]}” is no column of sections; known are {', '.join(COLUMNS)}.")
    if len(rows) - 1 > MOST_ROWS:
        raise TableError(f"The table has {len(rows) - 1} sections; at most {MOST_ROWS}. Thin it out.")
    if len(rows) < 2:
        raise TableError("The table names its columns and has no section below them.")
    out = []
    for number, row in enumerate(rows[1:], start=2):
        if len(row) != len(names):
            raise TableError(
                f"Line {number} has {len(row)} values, and the first line names {len(names)} columns.")
        try:
            out.append({COLUMNS[name]: float(value) for name, value in zip(names, row)})
        except ValueError:
            bad = next(value for value in row if not _is_number(value))
            raise TableError(f"Line {number}: “{bad[:40]}” is no number.") from None
    return out


def _is_number(value):
    try:
        float(value)
    except ValueError:
        return False
    return True
