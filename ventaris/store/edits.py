"""Edits of sheets, kept so that they can be taken back and made again."""
import json

from ..core.sheet import read_section
from ..core.sheet.toml import differing_inputs

# Edits that are kept of one shape, operating point or campaign.
MOST_KEPT = 100
_OF_CELL = """SELECT * FROM edit WHERE (what = 'shape' AND owner = :variant
    OR what = 'air' AND owner = :point OR what = 'setup' AND owner = :campaign) """
_TO_UNDO = _OF_CELL + "AND undone = 0 ORDER BY id DESC LIMIT 1"
_TO_REDO = _OF_CELL + "AND undone = 1 ORDER BY id LIMIT 1"


def note(database, campaign_id, what, owner, before, after):
    """Remember an edit; what had been taken back of the same owner can be made again no more.

    Parameters
    ----------
    what : {"shape", "air", "setup"}
    owner : int
        The variant, operating point or campaign.
    before, after : dict
        Name and values of a variant or point, setup and exceptions of a campaign.
    """
    before, after = json.dumps(before), json.dumps(after)
    if before == after:
        return
    database.execute("DELETE FROM edit WHERE what = ? AND owner = ? AND undone = 1", (what, owner))
    database.execute("INSERT INTO edit (campaign_id, what, owner, before, after) VALUES (?, ?, ?, ?, ?)",
                     (campaign_id, what, owner, before, after))
    database.execute(
        "DELETE FROM edit WHERE what = ? AND owner = ? AND id NOT IN (SELECT id FROM edit WHERE what = ? "
        "AND owner = ? ORDER BY id DESC LIMIT ?)", (what, owner, what, owner, MOST_KEPT))


def to_undo(database, campaign_id, variant_id, point_id):
    """The latest edit of a cell's sheet that can be taken back, or None."""
    return _one(database, _TO_UNDO, campaign_id, variant_id, point_id)


def to_redo(database, campaign_id, variant_id, point_id):
    """The edit of a cell's sheet that was taken back last, or None."""
    return _one(database, _TO_REDO, campaign_id, variant_id, point_id)


def _one(database, statement, campaign_id, variant_id, point_id):
    row = database.execute(statement, {"campaign": campaign_id, "variant": variant_id,
                                       "point": point_id}).fetchone()
    return row and {**dict(row), "before": json.loads(row["before"]), "after": json.loads(row["after"])}


def mark(database, edit_id, undone):
    """An edit is taken back, or made again."""
    database.execute("UPDATE edit SET undone = ? WHERE id = ?", (int(undone), edit_id))


def words(edit, space):
    """What an edit changed, in a few words."""
    before, after, said = edit["before"], edit["after"], []
    if before.get("name") != after.get("name"):
        said.append(f"name {before['name']} → {after['name']}")
    if edit["what"] == "setup":
        for name in before["setup"]:
            said += _differences(name, before["setup"][name], after["setup"].get(name, {}), space)
        if before["exceptions"] != after["exceptions"]:
            said.append("settings of single cells")
    else:
        said += _differences(edit["what"], before["values"], after["values"], space)
    return "; ".join(said[:3]) + (f" and {len(said) - 3} more" if len(said) > 3 else "")


def _differences(section, one, other, space):
    try:
        found = differing_inputs(read_section(section, one, space), read_section(section, other, space))
    except ValueError:
        # Values of an earlier program that are no longer accepted.
        return [section]
    return [f"{label} {a} → {b}" for _, label, a, b in found] or ([section] if one != other else [])
