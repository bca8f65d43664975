"""Campaigns, their variants and operating points."""
import json

from ..core.display import Display
from ..core.sheet import SHEETS, SheetError, default_setup, read_section, read_sheet
from ..core.sheet.exceptions import applied
from ..core.study.aim import Aim
from . import edits
from .database import transaction

LONGEST_NAME = 80


class Conflict(RuntimeError):
    """Somebody else (or another tab) changed the same thing in the meantime."""


def checked_name(name, what):
    """A trimmed name; raises SheetError when it is empty or too long."""
    name = " ".join(str(name).split())
    if not name:
        raise SheetError([("name", f"The {what} needs a name.")])
    if len(name) > LONGEST_NAME:
        raise SheetError([("name", f"The name has {len(name)} characters; at most {LONGEST_NAME}.")])
    return name


def all_campaigns(database):
    """Campaigns that are not deleted, newest first, as dicts."""
    rows = database.execute("SELECT * FROM campaign WHERE deleted IS NULL ORDER BY id DESC").fetchall()
    return [_with(row, "setup") for row in rows]


def campaign(database, campaign_id):
    """One campaign, or None."""
    row = database.execute("SELECT * FROM campaign WHERE id = ? AND deleted IS NULL",
                           (campaign_id, )).fetchone()
    return _with(row, "setup") if row else None


def space_of(database, campaign_id):
    """"section" or "body"."""
    row = database.execute("SELECT space FROM campaign WHERE id = ?", (campaign_id, )).fetchone()
    return row["space"] if row else "section"


def add_campaign(database, name, question="", setup=None, space="section"):
    """Add a campaign about sections in a plane or bodies in space; returns its id."""
    if space not in SHEETS:
        raise SheetError([("space", f"space = {str(space)[:40]}: accepted: {', '.join(SHEETS)}.")])
    name = checked_name(name, "campaign")
    whole = {**default_setup(space), **(setup or {})}
    clean = {key: read_section(key, value, space).model_dump() for key, value in whole.items()}
    with transaction(database):
        return database.execute("INSERT INTO campaign (name, question, setup, space) VALUES (?, ?, ?, ?)",
                                (name, question.strip()[:400], json.dumps(clean), space)).lastrowid


def describe_campaign(database, campaign_id, name, question):
    """Change a campaign's name and question."""
    with transaction(database):
        database.execute("UPDATE campaign SET name = ?, question = ? WHERE id = ?",
                         (checked_name(name, "campaign"), question.strip()[:400], campaign_id))


def aim_of(found):
    """The `Aim` of a campaign, or None where it has none."""
    return Aim.from_dict(json.loads(found["aim"])) if found["aim"] else None


def display_of(found):
    """The `Display` of a campaign."""
    return Display.from_text(found["display"])


def save_display(database, campaign_id, display):
    """Keep the units in which a campaign is shown."""
    with transaction(database):
        database.execute("UPDATE campaign SET display = ? WHERE id = ?", (display.text(), campaign_id))


def put_away(database, campaign_id, away=True):
    """Take a campaign from the first page, or bring it back."""
    with transaction(database):
        database.execute("UPDATE campaign SET away = ? WHERE id = ?", (int(away), campaign_id))


def save_aim(database, campaign_id, aim):
    """Keep what a campaign is after; None takes it away."""
    with transaction(database):
        database.execute("UPDATE campaign SET aim = ? WHERE id = ?",
                         (json.dumps(aim.as_dict()) if aim else "", campaign_id))


def variants(database, campaign_id):
    """Variants of a campaign, the baseline first."""
    rows = database.execute(
        "SELECT * FROM variant WHERE campaign_id = ? AND deleted IS NULL ORDER BY baseline DESC, id",
        (campaign_id, )).fetchall()
    return [_with(row, "shape") for row in rows]


def variant(database, variant_id):
    row = database.execute("SELECT * FROM variant WHERE id = ? AND deleted IS NULL",
                           (variant_id, )).fetchone()
    return _with(row, "shape") if row else None


def add_variant(database, campaign_id, name, shape):
    """Add a variant; the first of a campaign becomes its baseline.  Returns its id."""
    name = checked_name(name, "variant")
    clean = read_section("shape", shape, space_of(database, campaign_id)).model_dump()
    with transaction(database):
        first = database.execute(
            "SELECT count(*) FROM variant WHERE campaign_id = ? AND deleted IS NULL AND baseline = 1",
            (campaign_id, )).fetchone()[0] == 0
        return database.execute(
            "INSERT INTO variant (campaign_id, name, shape, baseline) VALUES (?, ?, ?, ?)",
            (campaign_id, name, json.dumps(clean), int(first))).lastrowid


def make_baseline(database, variant_id):
    """Make a variant the one that all others are compared with."""
    with transaction(database):
        database.execute(
            "UPDATE variant SET baseline = (id = ?) WHERE campaign_id = (SELECT campaign_id FROM variant "
            "WHERE id = ?)",
            (variant_id, variant_id))


def points(database, campaign_id):
    """Operating points of a campaign."""
    rows = database.execute(
        "SELECT * FROM operating_point WHERE campaign_id = ? AND deleted IS NULL ORDER BY id",
        (campaign_id, )).fetchall()
    return [_with(row, "air") for row in rows]


def point(database, point_id):
    row = database.execute("SELECT * FROM operating_point WHERE id = ? AND deleted IS NULL",
                           (point_id, )).fetchone()
    return _with(row, "air") if row else None


def add_point(database, campaign_id, name, air):
    """Add an operating point; returns its id."""
    name = checked_name(name, "operating point")
    clean = read_section("air", air, space_of(database, campaign_id)).model_dump()
    with transaction(database):
        return database.execute("INSERT INTO operating_point (campaign_id, name, air) VALUES (?, ?, ?)",
                                (campaign_id, name, json.dumps(clean))).lastrowid


UPDATES = {
    "shape": "UPDATE variant SET shape = ?, name = ?, revision = revision + 1 WHERE id = ? AND revision = ? "
             "AND deleted IS NULL",
    "air": "UPDATE operating_point SET air = ?, name = ?, revision = revision + 1 WHERE id = ? AND revision "
           "= ? AND deleted IS NULL"
}

EARLIER = {
    "shape": "SELECT name, shape AS held FROM variant WHERE id = ?",
    "air": "SELECT name, air AS held FROM operating_point WHERE id = ?"
}

OWNERS = {
    "shape": "SELECT campaign_id FROM variant WHERE id = ?",
    "air": "SELECT campaign_id FROM operating_point WHERE id = ?"
}


def save_shape(database, variant_id, revision, name, shape):
    """Save a variant's shape; raises `Conflict` when the revision is no longer the stored one."""
    _save(database, "shape", variant_id, revision, checked_name(name, "variant"), shape)


def save_air(database, point_id, revision, name, air):
    """Save an operating point's air; raises `Conflict` like `save_shape`."""
    _save(database, "air", point_id, revision, checked_name(name, "operating point"), air)


def _save(database, section, row_id, revision, name, values, noted=True):
    owner = database.execute(OWNERS[section], (row_id, )).fetchone()
    clean = read_section(section, values,
                         space_of(database, owner["campaign_id"]) if owner else "section").model_dump()
    with transaction(database):
        row = database.execute(EARLIER[section], (row_id, )).fetchone()
        done = database.execute(UPDATES[section], (json.dumps(clean), name, row_id, revision)).rowcount
        if not done:
            raise Conflict(f"The {section} section was changed in another window since this page was opened.")
        if noted:
            edits.note(database, owner["campaign_id"], section, row_id,
                       {"name": row["name"], "values": json.loads(row["held"])},
                       {"name": name, "values": clean})


def save_setup(database, campaign_id, revision, setup, exceptions=None, noted=True):
    """Save the sections that a campaign shares, and settings of single cells where they are given; raises
    `Conflict` like `save_shape`. Only what is `noted` can be taken back."""
    space = space_of(database, campaign_id)
    clean = {name: read_section(name, setup[name], space).model_dump() for name in default_setup(space)}
    with transaction(database):
        earlier = campaign(database, campaign_id)
        done = database.execute(
            "UPDATE campaign SET setup = ?, exceptions = coalesce(?, exceptions), revision = revision + 1 "
            "WHERE id = ? AND revision = ? AND deleted IS NULL",
            (json.dumps(clean), None if exceptions is None else json.dumps(exceptions) if exceptions else "",
             campaign_id, revision)).rowcount
        if not done:
            raise Conflict(
                "The domain, grid, instruments, flow or run section was changed in another window since this "
                "page was opened."
            )
        if noted:
            had = exceptions_of(earlier)
            edits.note(database, campaign_id, "setup", campaign_id,
                       {"setup": earlier["setup"], "exceptions": had},
                       {"setup": clean, "exceptions": had if exceptions is None else exceptions})


def undo(database, campaign_, variant_, point_):
    """Take the latest edit of a cell's sheet back, if there is one.

    Raises
    ------
    Conflict
        Where the section is no longer as that edit left it.
    """
    edit = edits.to_undo(database, campaign_["id"], variant_["id"], point_["id"])
    _make(database, edit, "after", "before", campaign_, variant_, point_)


def redo(database, campaign_, variant_, point_):
    """Make the edit that was taken back last again; as `undo`."""
    edit = edits.to_redo(database, campaign_["id"], variant_["id"], point_["id"])
    _make(database, edit, "before", "after", campaign_, variant_, point_)


def _make(database, edit, present, wanted, campaign_, variant_, point_):
    if edit is None:
        return
    if edit["what"] == "setup":
        held = {"setup": campaign_["setup"], "exceptions": exceptions_of(campaign_)}
    else:
        row = variant_ if edit["what"] == "shape" else point_
        held = {"name": row["name"], "values": row[edit["what"]]}
    if held != edit[present]:
        raise Conflict("What would be taken back was changed in another way since.")
    to = edit[wanted]
    with transaction(database):
        if edit["what"] == "setup":
            save_setup(database, campaign_["id"], campaign_["revision"], to["setup"], to["exceptions"],
                       noted=False)
        else:
            _save(database, edit["what"], row["id"], row["revision"], to["name"], to["values"], noted=False)
        edits.mark(database, edit["id"], wanted == "before")


def compose_sheet(campaign_, variant_, point_):
    """The whole run sheet of a cell of the test matrix; raises SheetError."""
    title = f"{campaign_['name']}: {variant_['name']} at {point_['name']}"[:120]
    return read_sheet({
        "format": 1, "space": campaign_["space"], "title": title, "shape": variant_["shape"], "air":
        point_["air"], **setup_of(campaign_, variant_, point_)
    })


def exceptions_of(found):
    """Settings of single variants, points or cells of a campaign, see `core.sheet.exceptions`."""
    return json.loads(found["exceptions"]) if found["exceptions"] else {}


def setup_of(campaign_, variant_, point_):
    """The sections that a campaign shares, as they are in one cell."""
    return applied(campaign_["setup"], exceptions_of(campaign_), variant_["id"], point_["id"])


def _with(row, key):
    out = dict(row)
    out[key] = json.loads(out[key])
    return out


__all__ = [
    "Conflict", "add_campaign", "add_point", "add_variant", "aim_of", "all_campaigns", "campaign",
    "checked_name", "compose_sheet", "describe_campaign", "display_of", "exceptions_of", "make_baseline",
    "point", "points", "put_away", "redo", "save_aim", "save_air", "save_display", "save_setup",
    "save_shape", "setup_of", "space_of", "undo", "variant", "variants"
]
