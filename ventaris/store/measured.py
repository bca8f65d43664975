"""Measured data that belong to a campaign."""
import json

from .campaigns import checked_name
from .database import transaction


def add_measured(database, campaign_id, name, columns, about=None):
    """Keep a table of measured data; returns its id."""
    with transaction(database):
        return database.execute(
            "INSERT INTO measured (campaign_id, name, columns, about) VALUES (?, ?, ?, ?)",
            (campaign_id, checked_name(
                name, "measured data"), json.dumps(columns), json.dumps(about) if about else "")).lastrowid


def describe(database, table_id, name, about):
    """Keep what a table is called, and what its columns are: {column: (role, factor, channel)}."""
    with transaction(database):
        database.execute("UPDATE measured SET name = ?, about = ? WHERE id = ?",
                         (checked_name(name, "measured data"), json.dumps(about), table_id))


def table(database, table_id):
    """One table, or None."""
    row = database.execute("SELECT * FROM measured WHERE id = ? AND deleted IS NULL", (table_id, )).fetchone()
    return _with_columns(row) if row else None


def measured_of(database, campaign_id):
    """All measured data of a campaign."""
    rows = database.execute("SELECT * FROM measured WHERE campaign_id = ? AND deleted IS NULL ORDER BY id",
                            (campaign_id, ))
    return [_with_columns(row) for row in rows]


def _with_columns(row):
    return {
        **dict(row), "columns": json.loads(row["columns"]), "about":
        json.loads(row["about"]) if row["about"] else {}
    }
