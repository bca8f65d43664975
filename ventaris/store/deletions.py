"""Deleting, and taking the last deletion back."""
from .database import remember, setting, transaction

# Fixed statements per kind: nothing a user types reaches SQL but as a parameter.
MARK = {
    "campaign": "UPDATE campaign SET deleted = datetime('now') WHERE id = ? AND deleted IS NULL",
    "variant": "UPDATE variant SET deleted = datetime('now') WHERE id = ? AND deleted IS NULL",
    "operating point":
    "UPDATE operating_point SET deleted = datetime('now') WHERE id = ? AND deleted IS NULL",
    "measured data": "UPDATE measured SET deleted = datetime('now') WHERE id = ? AND deleted IS NULL"
}
RESTORE = {
    "campaign": "UPDATE campaign SET deleted = NULL WHERE id = ?",
    "variant": "UPDATE variant SET deleted = NULL WHERE id = ?",
    "operating point": "UPDATE operating_point SET deleted = NULL WHERE id = ?",
    "measured data": "UPDATE measured SET deleted = NULL WHERE id = ?"
}
BASELINE = (
    "UPDATE variant SET baseline = (id = ?) WHERE campaign_id = (SELECT campaign_id FROM variant WHERE id = "
    "?)")
PURGE = ("DELETE FROM campaign WHERE deleted IS NOT NULL", "DELETE FROM variant WHERE deleted IS NOT NULL",
         "DELETE FROM operating_point WHERE deleted IS NOT NULL",
         "DELETE FROM measured WHERE deleted IS NOT NULL")
STOP = {
    "campaign": "UPDATE run SET request = 'stop' WHERE state IN ('gridding', 'running') AND campaign_id = ?",
    "variant": "UPDATE run SET request = 'stop' WHERE state IN ('gridding', 'running') AND variant_id = ?",
    "operating point": "UPDATE run SET request = 'stop' WHERE state IN ('gridding', 'running') AND point_id "
    "= ?"
}


def delete(database, kind, row_id, name):
    """Delete something and all that hangs on it; the deletion before this one becomes final."""
    with transaction(database):
        for statement in PURGE:
            database.execute(statement)
        database.execute(MARK[kind], (row_id, ))
        if kind in STOP:
            database.execute(STOP[kind], (row_id, ))
        was_baseline = kind == "variant" and _next_baseline(database, row_id)
    remember(database, "last_deletion", {"kind": kind, "id": row_id, "name": name, "baseline": was_baseline})


def _next_baseline(database, variant_id):
    """When the baseline goes, the oldest variant left takes its place; returns whether it went."""
    row = database.execute("SELECT campaign_id, baseline FROM variant WHERE id = ?",
                           (variant_id, )).fetchone()
    if row and row["baseline"]:
        database.execute("UPDATE variant SET baseline = 0 WHERE id = ?", (variant_id, ))
        database.execute(
            "UPDATE variant SET baseline = 1 WHERE id = (SELECT min(id) FROM variant WHERE campaign_id = ? "
            "AND deleted IS NULL)", (row["campaign_id"], ))
        return True
    return False


def last_deletion(database):
    """What undo would bring back: {"kind", "id", "name"}, or None."""
    return setting(database, "last_deletion")


def undo(database):
    """Take the last deletion back; returns what came back, or None."""
    last = last_deletion(database)
    if last:
        with transaction(database):
            database.execute(RESTORE[last["kind"]], (last["id"], ))
            if last.get("baseline"):
                database.execute(BASELINE, (last["id"], last["id"]))
        remember(database, "last_deletion", None)
    return last


def counts(database, campaign_id):
    """What hangs on a campaign: (variants, operating points, runs)."""
    row = database.execute(
        """
        SELECT (SELECT count(*) FROM variant WHERE campaign_id = :id AND deleted IS NULL),
               (SELECT count(*) FROM operating_point WHERE campaign_id = :id AND deleted IS NULL),
               (SELECT count(*) FROM run WHERE campaign_id = :id)""", {"id": campaign_id}).fetchone()
    return tuple(row)
