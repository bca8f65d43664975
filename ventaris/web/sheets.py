"""The run sheet of one cell: a form that is checked, drawn and saved with every change."""
import collections
import typing

from flask import Blueprint, Response, abort, current_app, g, redirect, render_template, request, url_for

from ..core import units
from ..core.display import Display
from ..core.grids.mesh import MeshError
from ..core.sheet import exceptions
from ..core.sheet import (SECTIONS_OF, SHARED as SHARED_SECTIONS, SheetError, read_section,
                          read_sheet, read_toml, write_toml)
from ..core.sheet.fields import SheetSection
from ..core.study.comparison import bars_by_level, fair_quantity
from ..core.study.kinds.registry import kind_of
from ..core.study.naming import channel_words
from ..core.study.checks import estimate, examine
from ..core.study.kinds.body.planner import plan_body
from ..core.study.kinds.section.planner import plan_layer
from ..store import campaigns as store, edits, runs, surfaces
from . import campaigns, matrix
from .body_drawings import draw_body
from .drawings import draw
from .nozzle_drawings import draw_nozzle
from .row_drawings import draw_row
from .begin import bring_in
from .kinds.registry import SHOWN
from .presentation import condition_words, unit_beside
from .seldom import seldom_fields
from .turns import takes_long
from .uploads import measure_grid

pages = Blueprint("sheets", __name__)
HEADINGS = {
    "shape": "Shape", "air": "Air and motion", "domain": "Domain", "grid": "Grid",
    "instruments": "Instruments", "flow": "Flow", "run": "Run"
}
SHARED = {
    "shape": "belongs to the variant: the same along its whole row",
    "air": "belongs to the operating point: the same down its whole column",
    "domain": "shared by every run of the campaign", "grid": "shared by every run of the campaign",
    "flow": "shared by every run of the campaign", "instruments": "shared by every run of the campaign",
    "run": "shared by every run of the campaign"
}

PLANNERS = {"section": plan_layer, "body": plan_body}
DRAW = {"section": draw, "body": draw_body, "nozzle": draw_nozzle, "row": draw_row}
ROW_MODELS = {
    space: {
        f"{section}.{row.field}": typing.get_args(
            SECTIONS_OF[space][section].model_fields[row.field].annotation)[0]
        for section, rows in shown.rows.items()
        for row in rows
    }
    for space, shown in SHOWN.items()
}


def row_lists(space):
    """Of each section what comes in any number, with the conditions in the words of the page."""
    out = collections.defaultdict(list)
    for section, rows in SHOWN[space].rows.items():
        for row in rows:
            said = row.condition if isinstance(row.condition, str) else condition_words([row.condition])
            out[section].append(row._replace(condition=said))
    return out


def cell_or_404(variant_id, point_id, space=None):
    """(campaign, variant, point) of a cell, in a campaign about `space` where that is given."""
    variant, point = store.variant(g.database, variant_id), store.point(g.database, point_id)
    if not variant or not point or variant["campaign_id"] != point["campaign_id"]:
        abort(404)
    campaign = campaigns.campaign_or_404(variant["campaign_id"])
    if space and campaign["space"] != space:
        abort(404)
    return campaign, variant, point


@pages.get("/sheet/<int:variant_id>/<int:point_id>")
def show(variant_id, point_id):
    campaign, variant, point = cell_or_404(variant_id, point_id)
    values = stored_values(campaign, variant, point)
    state = _examine(values, campaign["space"])
    last = runs.runs_of_cell(g.database, variant_id, point_id)
    return render_template("sheet.html", campaign=campaign, variant=variant, point=point, values=values,
                           sections=SECTIONS_OF[campaign["space"]],
                           headings=HEADINGS | SHOWN[campaign["space"]].headings, shared=SHARED,
                           lists=row_lists(campaign["space"]), row_models=ROW_MODELS[campaign["space"]],
                           efforts=_efforts(campaign), seldom=seldom_fields(campaign["space"]),
                           imported=surfaces.all_surfaces(g.database) if campaign["space"] == "body" else [],
                           last=last[0] if last else None, revisions=_revisions(campaign, variant, point),
                           siblings=store.variants(g.database, campaign["id"]),
                           others=store.points(g.database, campaign["id"]), scopes=exceptions.SCOPES,
                           channels=_channels(state["setup"]), **_standing(campaign, variant, point),
                           **state)


def _channels(setup):
    """Names that a formula can use, for completion; none while the sheet cannot be run."""
    return kind_of(setup.sheet).channels(setup) if setup else []


# From a quick look to the final answer: the level of the climb, and what it is good for.
EFFORTS = {"coarse": "quick look", "medium": "first numbers", "fine": "final"}


def _efforts(campaign):
    """(level, words, what the error bar was on it in this campaign's latest climb) of every level."""
    latest = runs.latest_runs(g.database, campaign["id"])
    done = [
        r["result"] for _, r in sorted(latest.items(), key=lambda item: -item[1]["id"])
        if r["state"] == "settled" and r["result"]
    ]
    key = fair_quantity(campaign["space"], done)
    bars = next((b for r in done if (b := bars_by_level(r, key))), {})
    label = channel_words(key)
    out = []
    for level, words in EFFORTS.items():
        bar = bars.get(level)
        said = (f"{label}: ± {100 * bar:.2g} % in this campaign's latest run" if bar is not None and bar < 10
                else f"{label}: no error bar from one level" if level == "coarse" else "")
        out.append((level, words, said))
    return out


def stored_values(campaign, variant, point):
    """Section values of a cell; fields that are younger than the stored ones get their defaults."""
    values = {"shape": variant["shape"], "air": point["air"], **store.setup_of(campaign, variant, point)}
    out = {}
    for name, model in SECTIONS_OF[campaign["space"]].items():
        defaults = model().model_dump()
        out[name] = {**defaults, **values[name]}
        if isinstance(defaults.get("edits"), dict):
            out[name]["edits"] = {**defaults["edits"], **values[name].get("edits", {})}
    return out


def _revisions(campaign, variant, point):
    return {"setup": campaign["revision"], "shape": variant["revision"], "air": point["revision"]}


def form_values(form, current, space="section"):
    """Nested section values from the form's dotted names, in the units that the form was shown in; what the
    form leaves out keeps its value."""
    display = Display.from_text(form.get("display"))
    out = {name: dict(section) for name, section in current.items()}
    for name, model in SECTIONS_OF[space].items():
        for field, info in model.model_fields.items():
            if isinstance(info.annotation, type) and issubclass(info.annotation, SheetSection):
                nested = dict(out[name][field])
                nested.update({
                    k: _read(display, f"{name}.{field}.{k}", info.annotation.meta(k),
                             form[f"{name}.{field}.{k}"], [nested[k]])
                    for k in nested if f"{name}.{field}.{k}" in form
                })
                out[name][field] = nested
            elif f"{name}.{field}" in form:
                out[name][field] = _read(display, f"{name}.{field}", model.meta(field),
                                         form[f"{name}.{field}"], [out[name][field]])
    for path, model in ROW_MODELS[space].items():
        if f"{path}.count" in form:
            section, field = path.split(".")
            out[section][field] = _rows(form, path, model, display, out[section][field])
    return out


def _read(display, path, meta, text, stored):
    """What a form says of a field; `stored` are the values that it may have been shown with."""
    return display.read(path, meta["unit"], text, stored) if meta.get("kind") == "number" else text


def typed_units(form, display, space):
    """The campaign's `Display`, with the fields that were now typed in a unit of their own."""
    for path, model in _models(space):
        for text in form.getlist(path):
            display = display.typed(path, model["unit"], text)
    return display


def _models(space):
    """(name in the form, declaration) of every number of a kind's sheet."""
    for name, model in SECTIONS_OF[space].items():
        for field, info in model.model_fields.items():
            nested = isinstance(info.annotation, type) and issubclass(info.annotation, SheetSection)
            yield from _numbers(f"{name}.{field}.", info.annotation) if nested else _numbers(
                f"{name}.", model, (field, ))
    for path, model in ROW_MODELS[space].items():
        yield from _numbers(f"{path}[].", model)


def _numbers(prefix, model, fields=None):
    for field in fields or model.model_fields:
        if model.meta(field).get("kind") == "number":
            yield prefix + field, model.meta(field)


def _rows(form, path, model, display, stored):
    """Every row of a list as a dict, from the form's repeated names."""
    columns = {
        k: [_read(display, f"{path}[].{k}", model.meta(k), text, [row.get(k) for row in stored or ()])
            for text in form.getlist(f"{path}[].{k}")]
        for k in model.model_fields
    }
    rows = []
    for n in range(max(map(len, columns.values()))):
        row = {k: values[n] for k, values in columns.items() if n < len(values)}
        if "points" in row:
            row["points"] = _pairs(row["points"])
        rows.append(row)
    return rows


def _pairs(text):
    """Coordinate pairs of pasted lines; lines without two numbers are titles."""
    pairs = []
    for line in text.splitlines():
        try:
            pairs.append(tuple(float(v) for v in line.replace(",", " ").split()[:2]))
        except ValueError:
            continue
    return [p for p in pairs if len(p) == 2] or None


def _validated(values, space):
    """Section by section: (clean values of the good ones, problems of the others)."""
    clean, problems = {}, []
    for name in SECTIONS_OF[space]:
        try:
            clean[name] = read_section(name, values[name], space).model_dump()
        except SheetError as error:
            problems += error.problems
    return clean, problems


def _examine(values, space):
    """Preflight and derived numbers of section values."""
    clean, problems = _validated(values, space)
    if problems:
        return {
            "problems": problems, "setup": None, "findings": [], "derived": None, "cost": None,
            "measures": None
        }
    setup, findings = examine(read_sheet({"format": 1, "space": space, **clean}))
    if setup is None:
        return {
            "problems": [(f.path, f.message) for f in findings], "setup": None, "findings": [],
            "derived": None, "cost": None, "measures": None
        }
    cost = estimate(setup, runs.measured_cost(g.database, space))
    return {
        "problems": [], "setup": setup, "findings": findings, "derived": setup.derived(), "cost": cost,
        "measures": setup.measures()
    }


@pages.post("/sheet/<int:variant_id>/<int:point_id>")
def change(variant_id, point_id):
    """A change of the form: save what is valid, answer with derived numbers, preflight and problems."""
    campaign, variant, point = cell_or_404(variant_id, point_id)
    stored = stored_values(campaign, variant, point)
    values = form_values(request.form, stored, campaign["space"])
    clean, problems = _validated(values, campaign["space"])
    conflict = None
    _keep_typed_units(campaign)
    try:
        _save_changed(campaign, variant, point, stored, clean, request.form)
    except store.Conflict as error:
        conflict = str(error)
    campaign, variant, point = cell_or_404(variant_id, point_id)
    state = _examine(values, campaign["space"])
    state["problems"], state["unsaved"] = state["problems"] or problems, bool(problems)
    return render_template("partials/sheet_answer.html", campaign=campaign, variant=variant, point=point,
                           conflict=conflict, values=values,
                           revisions=request.form if conflict else _revisions(campaign, variant, point),
                           kept=conflict is not None, **_standing(campaign, variant, point),
                           last=next(iter(runs.runs_of_cell(g.database, variant_id, point_id)),
                                     None), **state)


def _keep_typed_units(campaign):
    had = store.display_of(campaign)
    display = typed_units(request.form, had, campaign["space"]) if "display" in request.form else had
    if display != had:
        store.save_display(g.database, campaign["id"], display)


def _save_changed(campaign, variant, point, stored, clean, form):
    """Save the sections that differ from the stored ones, under the revisions that the page was made with."""
    force = "force" in form

    def revision(name, current):
        try:
            return current if force else int(form.get(f"revision.{name}", current))
        except ValueError:
            return current

    name = form.get("variant.name", variant["name"])
    if ("shape" in clean and clean["shape"] != stored["shape"]) or name != variant["name"]:
        store.save_shape(g.database, variant["id"], revision("shape", variant["revision"]), name,
                         clean.get("shape", stored["shape"]))
    name = form.get("point.name", point["name"])
    if ("air" in clean and clean["air"] != stored["air"]) or name != point["name"]:
        store.save_air(g.database, point["id"], revision("air", point["revision"]), name,
                       clean.get("air", stored["air"]))
    setup = {key: clean.get(key, stored[key]) for key in SHARED_SECTIONS}
    if setup != {key: stored[key] for key in SHARED_SECTIONS}:
        scope = form.get("scope", "campaign")
        kept = exceptions.changed(campaign["setup"], store.exceptions_of(campaign), variant["id"],
                                  point["id"], setup, scope if scope in exceptions.SCOPES else "campaign")
        store.save_setup(g.database, campaign["id"], revision("setup", campaign["revision"]), *kept)


def _standing(campaign, variant, point):
    """What the page says of a cell's settings beside their values: whose they are, and what was edited."""
    cell = campaign["id"], variant["id"], point["id"]
    found = {"undo": edits.to_undo(g.database, *cell), "redo": edits.to_redo(g.database, *cell)}
    display = store.display_of(campaign)
    return {
        "display": display, "shown_units": {
            path: [unit, unit_beside(unit)] for path, unit in display.fields.items()
        }, "excepted": excepted(campaign, variant, point),
        "edits": {name: edits.words(edit, campaign["space"]) for name, edit in found.items() if edit}
    }


def excepted(campaign, variant, point):
    """{path: whom a setting of this cell that differs from the campaign's belongs to}."""
    out = {}
    for scope, settings in exceptions.covering(store.exceptions_of(campaign), variant["id"], point["id"]):
        out |= dict.fromkeys(settings, exceptions.SCOPES[scope])
    return out


@pages.post("/sheet/<int:variant_id>/<int:point_id>/as-the-campaign")
def as_the_campaign(variant_id, point_id):
    """Take a setting of its own away from a cell: the campaign's holds again."""
    campaign, variant, point = cell_or_404(variant_id, point_id)
    left = exceptions.without(store.exceptions_of(campaign), variant_id, point_id,
                              request.form.get("path", ""))
    store.save_setup(g.database, campaign["id"], campaign["revision"], campaign["setup"], left)
    return redirect(url_for(".show", variant_id=variant_id, point_id=point_id))


@pages.post("/sheet/<int:variant_id>/<int:point_id>/<any(undo, redo):which>")
def take_back(variant_id, point_id, which):
    """Take the latest edit of a cell's sheet back, or make again what was taken back."""
    cell = cell_or_404(variant_id, point_id)
    (store.undo if which == "undo" else store.redo)(g.database, *cell)
    return redirect(url_for(".show", variant_id=variant_id, point_id=point_id))


@pages.post("/sheet/<int:variant_id>/<int:point_id>/run")
def run(variant_id, point_id):
    campaign, variant, point = cell_or_404(variant_id, point_id)
    return redirect(url_for("runs.show", run_id=matrix.start_run(campaign, variant, point)))


@pages.route("/sheet/<int:variant_id>/<int:point_id>/drawing/<section>", methods=["GET", "POST"])
@takes_long
def drawing(variant_id, point_id, section):
    """The picture at the side, for the values in the form."""
    campaign, variant, point = cell_or_404(variant_id, point_id)
    values = stored_values(campaign, variant, point)
    if request.method == "POST":
        values = form_values(request.form, values, campaign["space"])
    state = _examine(values, campaign["space"])
    if section not in HEADINGS:
        abort(404)
    if state["setup"] is None and campaign["space"] == "body" and values["domain"].get("half") == "yes":
        # A body that is not yet symmetric (one end plate of two) is drawn whole meanwhile.
        whole = _examine({**values, "domain": {**values["domain"], "half": "no"}}, "body")
        state = whole if whole["setup"] else state
    if state["setup"] is None:
        return render_template("partials/drawing_none.html", problems=state["problems"])
    try:
        svg, caption = DRAW[campaign["space"]](section, state["setup"])
    except MeshError as error:
        return render_template("partials/drawing_none.html", problems=[("grid", str(error))])
    return render_template("partials/drawing.html", svg=svg, caption=caption, section=section,
                           heading=HEADINGS[section])


@pages.post("/sheet/<int:variant_id>/<int:point_id>/quality")
@takes_long
def quality(variant_id, point_id):
    """Generate the grid of the form's values and measure it."""
    campaign, variant, point = cell_or_404(variant_id, point_id)
    values = form_values(request.form, stored_values(campaign, variant, point), campaign["space"])
    state = _examine(values, campaign["space"])
    if state["setup"] is None:
        return render_template("partials/drawing_none.html", problems=state["problems"])
    setup = state["setup"]
    try:
        found = measure_grid(setup, current_app.config["FOLDER"])
    except MeshError as error:
        return render_template("partials/drawing_none.html", problems=[("grid", str(error))])
    if campaign["space"] == "body":
        return render_template("partials/body_quality.html", levels=found["levels"], scale=setup.scale,
                               notes=found["notes"][-3:])
    return render_template("partials/quality.html", levels=found["levels"])


@pages.post("/sheet/<int:variant_id>/<int:point_id>/plan")
@takes_long
def plan(variant_id, point_id):
    """The boundary layer to expect for the form's values, and the wall layer of the grid that it needs."""
    campaign, variant, point = cell_or_404(variant_id, point_id)
    planner = PLANNERS.get(campaign["space"]) or abort(404)
    state = _examine(form_values(request.form, stored_values(campaign, variant, point), campaign["space"]),
                     campaign["space"])
    if state["setup"] is None:
        return render_template("partials/drawing_none.html", problems=state["problems"])
    try:
        y_plus = units.parse(request.form.get("planner.y_plus", "1"), "")
        stations = [
            units.parse(part, "")
            for part in request.form.get("planner.stations", "").replace(";", " ").split()
        ]
        planned, problem = planner(state["setup"], y_plus, stations), ""
    except ValueError as error:
        planned, problem = None, str(error)
    return render_template(f"partials/plan_{campaign['space']}.html", plan=planned, problem=problem,
                           setup=state["setup"])


@pages.get("/sheet/<int:variant_id>/<int:point_id>/sheet.toml")
def as_toml(variant_id, point_id):
    campaign, variant, point = cell_or_404(variant_id, point_id)
    text = write_toml(store.compose_sheet(campaign, variant, point))
    if "view" in request.args:
        return Response(text, mimetype="text/plain")
    return campaigns.download(text, f"{campaigns.plain_name(variant['name'] + ' ' + point['name'])}.toml",
                              "application/toml")


@pages.post("/campaigns/<int:campaign_id>/sheet")
def import_toml(campaign_id):
    """Bring in a run sheet: a new variant, a new operating point and, for an empty campaign, its setup."""
    campaign = campaigns.campaign_or_404(campaign_id)
    upload = request.files.get("sheet")
    if upload is None or not upload.filename:
        raise SheetError([("sheet", "Choose a run sheet (TOML) first.")])
    sheet = read_toml(upload.read(4_000_000))
    return bring_in(campaign, sheet, upload.filename.rsplit(".", 1)[0])
