"""Measured data that belong to a campaign."""
import json

from .campaigns import checked_name
from .database import transaction


def add_measured(database, campaign_id, name, columns):
    """Keep a table of measured data; returns its id."""
    with transaction(database):
        return database.execute(
            "INSERT INTO measured (campaign_id, name, columns) VALUES (?, ?, ?)",
            (campaign_id, checked_name(name, "measured data"), json.dumps(columns))).lastrowid


def measured_of(database, campaign_id):
    """All measured data of a campaign."""
    rows = database.execute("SELECT * FROM measured WHERE campaign_id = ? AND deleted IS NULL ORDER BY id",
                            (campaign_id, ))
    return [{**dict(row), "columns": json.loads(row["columns"])} for row in rows]
