"""Begin at once: a new campaign of a kind, or from a file, whose ending and kind say what becomes of it."""
import json
from pathlib import PurePosixPath

from flask import Blueprint, g, redirect, request, url_for

from ..core.formats.surfaces import KINDS
from ..core.shapes.library import library
from ..core.sheet import SPACE_WORDS, SheetError, read_toml
from ..core.sheet.exceptions import renamed
from ..store import archive, campaigns as store, views
from . import campaigns
from .uploads import check_archive

pages = Blueprint("begin", __name__)
# Whoever begins with sections asks for drag: friction belongs to it.
SETUPS = {"section": {"flow": {"model": "turbulent"}}}
# The first operating point of a campaign that begins with a file.
FIRST_POINTS = {
    "section": ("30 m/s", {"speed": 30.0}), "body": ("30 m/s", {"speed": 30.0}), "nozzle":
    ("3 bar against the air", {}), "row": ("as it turns", {})
}
# Beyond so many metres a surface was written in millimetres.
LONGEST_IN_METRES = 80.0
LARGEST_SHEET = 4_000_000


@pages.post("/campaigns")
def begin():
    """A new campaign; with a file it leads to its sheet, and without to its first variant."""
    upload, form = request.files.get("file"), request.form
    space = form.get("space", "section")
    if upload is None or not upload.filename:
        campaign_id = store.add_campaign(g.database, form.get("name", ""), form.get("question", ""),
                                         SETUPS.get(space), space)
        return redirect(url_for("campaigns.new_variant", campaign_id=campaign_id))
    file = PurePosixPath(upload.filename.replace("\\", "/"))
    ending, stem = file.suffix.lower().removeprefix("."), file.stem[:60] or "Unnamed"
    if ending == "zip":
        return _from_archive(upload)
    if ending == "toml":
        sheet = read_toml(upload.read(LARGEST_SHEET))
        campaign_id = _add(form, sheet.title or stem, sheet.space)
        return bring_in(store.campaign(g.database, campaign_id), sheet, stem)
    if ending in KINDS:
        space, shape = "body", {"parts": [_part(upload, form)]}
    elif space == "nozzle":
        shape = campaigns.imported_contour()
    elif space in ("section", "body"):
        space, shape = "section", campaigns.imported_shape()
    else:
        raise SheetError([("file",
                           f"“{file.name[:60]}”: a blade row begins with a kind of its own; its table of "
                           "sections is brought in on its sheet. Begin without the file.")])
    campaign_id = _add(form, stem, space)
    variant = store.add_variant(g.database, campaign_id, stem, shape)
    point = store.add_point(g.database, campaign_id, *FIRST_POINTS[space])
    return redirect(url_for("sheets.show", variant_id=variant, point_id=point))


def _add(form, name, space):
    """A campaign named as was typed, or after the file; returns its id."""
    return store.add_campaign(g.database,
                              form.get("name", "").strip() or name, form.get("question", ""),
                              SETUPS.get(space), space)


@pages.post("/campaigns/import")
def import_archive():
    """A whole campaign from its archive."""
    upload = request.files.get("archive")
    if upload is None or not upload.filename:
        raise SheetError([("archive", "Choose a campaign archive first.")])
    return _from_archive(upload)


def _from_archive(upload):
    data = upload.read()
    try:
        check_archive(data)
        campaign_id = archive.import_campaign(g.database, data, arrays=False)
    except archive.ArchiveError as error:
        raise SheetError([("archive", str(error))]) from None
    return redirect(url_for("matrix.show", campaign_id=campaign_id))


def _part(upload, form):
    """A part of an uploaded surface, in millimetres where it would be longer than any vehicle in metres."""
    part = campaigns.import_part(upload, form)
    points = None if part.get("unit") else library.surface(part["source"]).vertices
    if points is not None and float((points.max(axis=0) - points.min(axis=0)).max()) > LONGEST_IN_METRES:
        part["unit"] = "mm"
    return part


def bring_in(campaign, sheet, stem):
    """Add a sheet's variant and operating point to a campaign, its setup too where it is the first; leads to
    the sheet."""
    if sheet.space != campaign["space"]:
        raise SheetError([
            ("sheet",
             f"This run sheet is about {SPACE_WORDS[sheet.space].lower()}, and the campaign is about "
             f"{SPACE_WORDS[campaign['space']].lower()}. Begin a campaign of that kind.")
        ])
    fresh = not store.variants(g.database, campaign["id"])
    name = (sheet.title or stem)[:60]
    variant_id = store.add_variant(g.database, campaign["id"], name, sheet.shape.model_dump())
    point_id = store.add_point(g.database, campaign["id"], name, sheet.air.model_dump())
    if fresh:
        store.save_setup(g.database, campaign["id"], campaign["revision"],
                         {key: getattr(sheet, key).model_dump()
                          for key in campaign["setup"]}, noted=False)
    return redirect(url_for("sheets.show", variant_id=variant_id, point_id=point_id))


@pages.post("/campaigns/<int:campaign_id>/copy")
def copy(campaign_id):
    """The campaign again with its variants, operating points, setup and aim, without runs."""
    campaign = campaigns.campaign_or_404(campaign_id)
    name = f"{campaign['name'][:70]}, copy"
    again = store.add_campaign(g.database, name, campaign["question"],
                               json.loads(json.dumps(campaign["setup"])), campaign["space"])
    ids = [{
        row["id"]: add(g.database, again, row["name"], row[key])
        for row in rows(g.database, campaign_id)
    } for rows, add, key in ((store.variants, store.add_variant, "shape"), (store.points, store.add_point,
                                                                            "air"))]
    fresh, own = store.campaign(g.database, again), renamed(store.exceptions_of(campaign), *ids)
    if own:
        store.save_setup(g.database, again, fresh["revision"], fresh["setup"], own, noted=False)
    views.save_views(g.database, again, views.views_of(campaign))
    store.save_display(g.database, again, store.display_of(campaign))
    aim = store.aim_of(campaign)
    if aim:
        store.save_aim(g.database, again, aim.renamed(*ids))
    return redirect(url_for("matrix.show", campaign_id=again))
