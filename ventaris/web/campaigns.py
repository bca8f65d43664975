"""Campaigns, and the test matrix that is a campaign's home."""
import json
import re
from urllib.parse import urlsplit

from flask import Blueprint, abort, current_app, g, redirect, render_template, request, url_for

from ..core.display import CHOICES, WORDS, Display
from ..core.formats.surfaces import SOLIDS
from ..core.sheet import SPACE_WORDS, SheetError
from ..core.shapes.library import LARGEST_FILE
from ..core.study.kinds.registry import FAMILIES
from ..store import archive, campaigns as store, deletions, runs, surfaces
from . import aims
from .kinds.registry import SHOWN
from .uploads import parse_surface, parse_upload

pages = Blueprint("campaigns", __name__)
LARGEST_COORDINATES = 8_000_000
# What a body can be made from, and the values it starts with.
BUILDERS = {
    "vehicle": "A vehicle or railcar body from parameters", "box": "A box or plate",
    "ellipsoid": "An ellipsoid or sphere", "frustum": "A cylinder, cone or ring",
    "revolution": "A body of revolution, with fins if wanted", "wing": "A wing, with flap if wanted"
}
START = {
    "vehicle": {}, "box": {"length": 1.0, "width": 1.0, "height": 1.0},
    "ellipsoid": {"length": 1.0, "width": 1.0, "height": 1.0}, "frustum": {"length": 1.0}, "revolution": {
        "length": 3.0, "diameter": 0.3, "nose_length": 0.9, "rear_diameter": 0.25, "fins": 4,
        "fin_chord": 0.4, "fin_span": 0.25
    }, "wing": {}
}


def campaign_or_404(campaign_id):
    found = store.campaign(g.database, campaign_id) or abort(404)
    # What is shown of it is shown in its units.
    g.display = store.display_of(found)
    return found


OTHER_LOOKS = {
    "section": "This run is about sections in a plane: its flow view has its own looks.",
    "body": "This run is about a body in space: its flow view has its own looks.",
    "nozzle": "This run is about a nozzle: its flow view has its own looks.",
    "row": "This run is about a blade row: its flow view has its own looks."
}


def only_about(spaces, run_id):
    """404 when a run is of another kind: a plane picture of a body, or the reverse."""
    run = runs.run(g.database, run_id) or abort(404)
    space = store.space_of(g.database, run["campaign_id"])
    if space not in (spaces if isinstance(spaces, tuple) else (spaces, )):
        abort(404, OTHER_LOOKS[space])


# What kinds of campaigns are about, drawn small.
PICTURES = {
    "section":
    '<path d="M14 30C20 16 52 12 108 34 72 36 24 40 14 30z"/><path class="air" d="M2 22C18 8 52 2 118 '
    '22M2 40c30 8 70 6 116-2"/>',
    "body":
    '<path d="M16 40V28c0-8 8-14 22-16h56l12 10v18z"/><path class="air" d="M2 20C20 4 50 4 92 4c14 0 20 8 '
    '26 8M2 46h116"/>',
    "nozzle":
    '<path d="M10 8h26c16 0 18 10 30 10h40v-6H70C56 12 52 2 36 2H10zM10 44h26c16 0 18-10 30-10h40v6H70c-14 '
    '0-18 10-34 10H10z"/><path class="air" d="M10 26h108"/>',
    "row":
    '<path d="M18 46C26 30 34 16 48 6c-6 16-14 30-30 40zM48 46C56 30 64 16 78 6c-6 16-14 30-30 40zM78 '
    '46c8-16 16-30 30-40-6 16-14 30-30 40z"/><path class="air" d="M4 50C14 40 22 24 36 4M96 '
           '50c8-12 14-24 20-40"/>',
}


@pages.get("/")
def index():
    stamps, folder = runs.stamps(g.database), str(current_app.config["FOLDER"])
    cards = []
    found = store.all_campaigns(g.database)
    away = sum(campaign["away"] for campaign in found)
    shown_away = bool(away) and "away" in request.args
    for campaign in found:
        if bool(campaign["away"]) != shown_away:
            continue
        key = folder, campaign["id"], campaign["revision"], campaign["name"], campaign[
            "question"], campaign["aim"], stamps.get(campaign["id"])
        if key not in _cards:
            if len(_cards) > 2000:
                _cards.clear()
            _cards[key] = _card(campaign)
        cards.append(_cards[key])
    return render_template("campaigns.html", cards=cards, spaces=SPACE_WORDS, pictures=PICTURES, away=away,
                           shown_away=shown_away)


# Cards by what they were made from; making one reads every result of its campaign.
_cards = {}


def _card(campaign):
    variants = store.variants(g.database, campaign["id"])
    points = {p["id"]: p for p in store.points(g.database, campaign["id"])}
    latest = runs.latest_runs(g.database, campaign["id"])
    names = {v["id"]: v for v in variants}
    done = [run for (v, p), run in latest.items() if run["state"] == "settled" and v in names and p in points]
    found = aims.standing_of(campaign, variants, list(points.values()), latest) if done else None
    base = variants[0] if variants else None
    picture = next((r["id"] for (v, p), r in sorted(latest.items(), reverse=True)
                    if base and v == base["id"] and r["state"] == "settled"), None)
    # An outline is drawn only where there is no picture of the flow: that of a body takes half a second.
    drawn = base and not picture
    return {
        "campaign": campaign, "picture": picture, "standing": found,
        "outline": FAMILIES[campaign["space"]].portrait.outline(base["shape"]) if drawn else None,
        "variants": len(variants), "points": len(points), "settled": len(done),
        "active": sum(r["state"] in runs.ACTIVE for r in latest.values())
    }


@pages.post("/campaigns/<int:campaign_id>/<any(away, back):where>")
def put_away(campaign_id, where):
    """Take a campaign from the first page, or bring it back."""
    store.put_away(g.database, campaign_or_404(campaign_id)["id"], where == "away")
    return redirect(url_for(".index"))


@pages.get("/campaigns/<int:campaign_id>/archive")
def export_archive(campaign_id):
    campaign = campaign_or_404(campaign_id)
    data = archive.export_campaign(g.database, campaign_id, checkpoints="checkpoints" in request.args)
    return download(data, f"{plain_name(campaign['name'])}.ventaris.zip", "application/zip")


def download(data, name, kind):
    response = current_app.response_class(data, mimetype=kind)
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


def plain_name(name):
    """A file name made of a free name."""
    return re.sub(r"[^A-Za-z0-9]+", "-", name).strip("-").lower()[:60] or "unnamed"


@pages.route("/campaigns/<int:campaign_id>/edit", methods=["GET", "POST"])
def edit(campaign_id):
    campaign = campaign_or_404(campaign_id)
    if request.method == "POST":
        store.describe_campaign(g.database, campaign_id, request.form.get("name", ""),
                                request.form.get("question", ""))
        units = {base: request.form.get(f"unit.{base}", base) for base in CHOICES}
        chosen = {base: unit for base, unit in units.items() if unit != base and unit in CHOICES[base]}
        # Fields that kept the unit in which they were typed follow a new choice.
        kept = store.display_of(campaign)
        store.save_display(g.database, campaign_id, kept if chosen == kept.units else Display(chosen))
        return redirect(url_for("matrix.show", campaign_id=campaign_id))
    return render_template("campaign_edit.html", campaign=campaign, choices=CHOICES, words=WORDS,
                           display=store.display_of(campaign))


@pages.route("/campaigns/<int:campaign_id>/variants/new", methods=["GET", "POST"])
def new_variant(campaign_id):
    campaign = campaign_or_404(campaign_id)
    variants = store.variants(g.database, campaign_id)
    if request.method == "GET":
        copied = next((v for v in variants if str(v["id"]) == request.args.get("copy")),
                      variants[0] if variants else None)
        return render_template("variant_new.html", campaign=campaign, variants=variants, copied=copied,
                               problems=(), form={}, kinds=BUILDERS)
    try:
        name = store.checked_name(request.form.get("name", ""), "variant")
        variant_id = store.add_variant(g.database, campaign_id, name, NEW_SHAPES[campaign["space"]](variants,
                                                                                                    name))
    except SheetError as error:
        return render_template("variant_new.html", campaign=campaign, variants=variants, copied=None,
                               form=request.form, kinds=BUILDERS,
                               problems=[m for _, m in error.problems]), 400
    points = store.points(g.database, campaign_id)
    if not points:
        return redirect(url_for(".new_point", campaign_id=campaign_id))
    return redirect(url_for("sheets.show", variant_id=variant_id, point_id=points[0]["id"]))


def _new_shape(variants, name=""):
    source = request.form.get("source", "copy")
    if source == "copy":
        chosen = next((v for v in variants if str(v["id"]) == request.form.get("copy")), None)
        if chosen is None:
            raise SheetError([("copy", "Choose the variant to copy.")])
        return json.loads(json.dumps(chosen["shape"]))
    if source == "coordinates":
        return imported_shape()
    return {
        "kind": source, "chord": request.form.get("chord") or 1.0, **{
            "four-digit": {}, "ellipse": {"thickness": 1.0}, "double wedge": {"thickness": 0.1},
            "revolution": {"thickness": 0.1}
        }.get(source, {})
    }


def _new_body(variants, name):
    """Shape section of a new body: a copy, one part made from parameters, or an imported file."""
    source = request.form.get("source", "copy")
    if source == "copy":
        return _new_shape(variants)
    if source == "surface":
        return {"parts": [import_part(request.files.get("file"), request.form)]}
    if source not in BUILDERS:
        raise SheetError([("source", "Choose what the body is made from.")])
    return {"parts": [{"name": "body", "kind": source, **START[source]}]}


def _new_nozzle(variants, name):
    """Shape section of a new nozzle: a copy, one from parameters, or a contour from coordinates."""
    source = request.form.get("source", "copy")
    if source == "copy":
        return _new_shape(variants)
    form = {"form": request.form["form"]} if request.form.get("form") else {}
    if source == "convergent":
        return {"kind": "conical", "diverge_length": 0.0, **form}
    if source != "coordinates":
        return {"kind": source, **form}
    return {**imported_contour(), **form}


def imported_contour():
    """Shape section of a nozzle whose contour was uploaded or pasted."""
    factor = {"m": 1.0, "mm": 1e-3, "cm": 1e-2, "in": 0.0254, "ft": 0.3048}.get(request.form.get("unit"), 1.0)
    parsed = parse_upload("contour", _coordinates_given())
    return {"kind": "coordinates", "points": [(x * factor, r * factor) for x, r in parsed["points"]]}


# What a new row begins as: in a duct by sections or by a plan; in the open a propeller and a wind wheel.
NEW_ROWS = {
    "sections": {}, "plan": {"made": "plan"}, "propeller": {
        "setting": "open", "form": "four-digit", "blades": 2, "hub_radius": 0.12, "tip_radius": 0.9,
        "stacked_at": 0.3, "sections": [
            {"radius": 0.12, "chord": 0.12, "stagger": 38.0, "camber": 12.0, "thickness": 0.18},
            {"radius": 0.45, "chord": 0.14, "stagger": 66.0, "camber": 12.0, "thickness": 0.12},
            {"radius": 0.9, "chord": 0.08, "stagger": 77.0, "camber": 12.0, "thickness": 0.09}]
    }, "wheel": {
        "setting": "open", "form": "four-digit", "blades": 3, "hub_radius": 0.3, "tip_radius": 1.5,
        "stacked_at": 0.3, "sections": [
            {"radius": 0.3, "chord": 0.22, "stagger": 74.0, "camber": -12.0, "thickness": 0.18},
            {"radius": 0.75, "chord": 0.15, "stagger": 83.0, "camber": -12.0, "thickness": 0.14},
            {"radius": 1.5, "chord": 0.09, "stagger": 88.0, "camber": -12.0, "thickness": 0.12}]
    }
}


def _new_row(variants, name):
    """Shape section of a new blade row: a copy, or one to begin with."""
    source = request.form.get("source", "copy")
    if source == "copy":
        return _new_shape(variants)
    if source not in NEW_ROWS:
        raise SheetError([("source", "Choose what the row is made from.")])
    return json.loads(json.dumps(NEW_ROWS[source]))


NEW_SHAPES = {"section": _new_shape, "body": _new_body, "nozzle": _new_nozzle, "row": _new_row}


def import_part(upload, form):
    """A part made of an uploaded surface file, which is kept under its content; raises SheetError."""
    if upload is None or not upload.filename:
        raise SheetError([("file", "Choose a surface file (STL, OBJ, PLY, GLB or STEP) first.")])
    kind = upload.filename.rsplit(".", 1)[-1].lower()
    data = upload.read(LARGEST_FILE + 1)
    if len(data) > LARGEST_FILE:
        raise SheetError([
            ("file",
             f"“{upload.filename}” is larger than {LARGEST_FILE // 1_000_000} MB. Simplify the surface to "
             "fewer triangles first.")
        ])
    packed = parse_surface(kind, data)
    stem = upload.filename.rsplit("/", 1)[-1].rsplit(".", 1)[0][:36] or "surface"
    source = surfaces.keep_surface(g.database, upload.filename.rsplit("/", 1)[-1], packed)
    chosen = {name: form[name] for name in ("unit", "downstream", "up", "split", "mirror") if form.get(name)}
    if kind in SOLIDS:
        # What is read from it is in metres, whatever its own unit.
        chosen["unit"] = "m"
    return {"name": form.get("part_name", "").strip() or stem, "kind": "surface", "source": source, **chosen}


def _coordinates_given():
    """Bytes of the coordinates that were chosen or pasted; raises SheetError."""
    upload, text = request.files.get("file"), request.form.get("text", "")
    data = upload.read(LARGEST_COORDINATES + 1) if upload and upload.filename else text.encode()
    if len(data) > LARGEST_COORDINATES:
        raise SheetError([
            ("file",
             f"The file is larger than {LARGEST_COORDINATES // 1_000_000} MB. Section coordinates need a few "
             "kilobytes.")
        ])
    if not data.strip():
        raise SheetError([("file", "Choose a file with coordinates, or paste them into the field.")])
    return data


def imported_shape():
    upload, parsed = request.files.get("file"), parse_upload("coordinates", _coordinates_given())
    shape = {
        "kind": "coordinates", "title": (parsed["title"] or (upload.filename if upload else ""))[:120],
        "points": parsed["points"], **({"elements": parsed["elements"]} if parsed["elements"] else {})
    }
    chord = request.form.get("chord", "").strip()
    if chord:
        shape["chord"] = chord
    else:
        unit = {"chords": 1.0, "m": 1.0, "mm": 1e-3, "cm": 1e-2, "in": 0.0254,
                "ft": 0.3048}.get(request.form.get("unit", "chords"), 1.0)
        shape["chord"] = parsed["chord"] * unit
    return shape


@pages.route("/campaigns/<int:campaign_id>/points/new", methods=["GET", "POST"])
def new_point(campaign_id):
    campaign = campaign_or_404(campaign_id)
    points, variants = store.points(g.database, campaign_id), store.variants(g.database, campaign_id)
    if request.method == "GET":
        return render_template("point_new.html", campaign=campaign, points=points, problems=(), form={},
                               first=not points)
    form = request.form
    try:
        chosen = next((p for p in points if str(p["id"]) == form.get("copy")), None)
        air = dict(chosen["air"]) if chosen else {}
        air.update(SHOWN[campaign["space"]].point_air(form))
        point_id = store.add_point(g.database, campaign_id, form.get("name", ""), air)
    except SheetError as error:
        return render_template("point_new.html", campaign=campaign, points=points, form=form,
                               first=not points, problems=[m for _, m in error.problems]), 400
    if not variants:
        return redirect(url_for(".new_variant", campaign_id=campaign_id))
    return redirect(url_for("sheets.show", variant_id=variants[0]["id"], point_id=point_id))


@pages.post("/variants/<int:variant_id>/baseline")
def baseline(variant_id):
    variant = store.variant(g.database, variant_id) or abort(404)
    store.make_baseline(g.database, variant_id)
    return redirect(url_for("matrix.show", campaign_id=variant["campaign_id"]))


@pages.route("/delete/<kind>/<int:row_id>", methods=["GET", "POST"])
def delete(kind, row_id):
    """Ask, then delete; the question says what hangs on it."""
    finders = {"campaign": store.campaign, "variant": store.variant, "operating-point": store.point}
    thing = finders.get(kind, lambda *_: None)(g.database, row_id) or abort(404)
    campaign_id = row_id if kind == "campaign" else thing["campaign_id"]
    if request.method == "GET":
        counts = deletions.counts(g.database, row_id) if kind == "campaign" else None
        return render_template("delete.html", kind=kind, thing=thing, counts=counts, campaign_id=campaign_id)
    deletions.delete(g.database, kind.replace("-", " "), row_id, thing["name"])
    if kind == "campaign":
        return redirect(url_for(".index"))
    return redirect(url_for("matrix.show", campaign_id=campaign_id))


@pages.post("/undo")
def undo():
    last = deletions.undo(g.database)
    if last and last["kind"] == "campaign":
        return redirect(url_for("matrix.show", campaign_id=last["id"]))
    return redirect(_own_page(request.referrer) or url_for(".index"))


def _own_page(address):
    """The path of an address that is this server's own, or None."""
    parts = urlsplit(address or "")
    if not address or parts.netloc != request.host or not parts.path.startswith("/") or parts.path.startswith(
            "//") or "\\" in parts.path:
        return None
    return parts.path + (f"?{parts.query}" if parts.query else "")
