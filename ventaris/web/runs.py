"""The run page: charts, live picture, controls, log, verdict; and the files of a run."""
import json

from flask import Blueprint, abort, current_app, g, jsonify, redirect, render_template, request, url_for

from ..core.formats.results import history_csv, rows_csv, taps_csv
from ..core.formats.body_files import body_surface_csv, body_surface_vtp, body_vtu
from ..core.formats.vtu import write_vtu
from ..core.sheet import SheetError, read_toml
from ..core.study.kinds.registry import FAMILIES
from ..core.study.naming import channel_words
from ..core.study.setup import prepare
from ..store import campaigns as store, runs
from ..store.fields import unpack_field, unpack_rows, unpack_taps
from ..worker.loop import is_worker_running
from . import campaigns, matrix
from .body_looks import body_of

pages = Blueprint("runs", __name__)


def run_or_404(run_id):
    found = runs.run(g.database, run_id) or abort(404)
    g.display = store.display_of(store.campaign(g.database, found["campaign_id"]))
    return found


@pages.get("/runs/<int:run_id>")
def show(run_id):
    run = run_or_404(run_id)
    return render_template("run.html", **_context(run))


def _context(run):
    older = runs.runs_of_cell(g.database, run["variant_id"], run["point_id"])
    space = store.space_of(g.database, run["campaign_id"])
    try:
        sheet = read_toml(run["sheet"])
        formulas, noise = [f.name for f in sheet.instruments.formulas
                           ], space == "nozzle" and sheet.flow.model == "noise"
    except SheetError:
        formulas, noise = [], False
    return {
        "run": run, "space": space, "noise": noise, "formulas": formulas,
        "log": runs.log(g.database, run["id"]), "older": [r for r in older if r["id"] != run["id"]],
        "can_go_further": run["state"] == "failed" or runs.array_version(g.database, run["id"],
                                                                         "checkpoint") > 0,
        "has_field": runs.array_version(g.database, run["id"], "field") > 0,
        "worker": run["state"] not in runs.ACTIVE or is_worker_running(current_app.config["FOLDER"]),
        "ahead": runs.queue_position(g.database, run["id"]) if run["state"] == "waiting" else 0
    }


@pages.get("/runs/<int:run_id>/panel")
def panel(run_id):
    """State, controls, verdict and log, for the page to refresh itself."""
    return render_template("partials/run_panel.html", **_context(run_or_404(run_id)))


@pages.get("/runs/<int:run_id>/live")
def live(run_id):
    """What has happened after a step, for the charts."""
    run = run_or_404(run_id)
    after = request.args.get("after", 0, type=int)
    rows = runs.history(g.database, run_id, after)
    words = {name: channel_words(name) for name in (rows[-1] if rows else ())}
    return jsonify(state=run["state"], history=rows, words=words,
                   field=runs.array_version(g.database, run_id, "field"), progress=run["progress"])


@pages.post("/runs/<int:run_id>/ask")
def ask(run_id):
    """Pause, resume, stop, or run further."""
    run = run_or_404(run_id)
    what = request.form.get("what", "")
    if what not in ("pause", "resume", "stop", "further"):
        abort(400, f"“{what}” is not something a run can be asked.")
    runs.ask(g.database, run["id"], what)
    if request.headers.get("HX-Request"):
        return panel(run_id)
    return redirect(url_for(".show", run_id=run_id))


@pages.post("/runs/<int:run_id>/again")
def again(run_id):
    """Run the cell afresh with its present inputs."""
    run = run_or_404(run_id)
    campaign = campaigns.campaign_or_404(run["campaign_id"])
    new = matrix.start_run(campaign, store.variant(g.database, run["variant_id"]),
                           store.point(g.database, run["point_id"]))
    return redirect(url_for(".show", run_id=new))


@pages.get("/runs/<int:run_id>/download/<what>")
def download(run_id, what):
    """A file of the run: its result, sheet, history, readings on the walls, field."""
    run = run_or_404(run_id)
    makers = {
        "result.json": _result, "sheet.toml": lambda r: r["sheet"],
        "history.csv": lambda r: history_csv(runs.history(g.database, r["id"])), "taps.csv": _taps,
        "lines.csv": _lines, "field.vtu": _vtu, "surface.csv": lambda r: _surface(r, body_surface_csv),
        "surface.vtp": lambda r: _surface(r, body_surface_vtp)
    }
    if what not in makers:
        abort(404)
    data = makers[what](run)
    stem = campaigns.plain_name(f"{run['variant_name']} {run['point_name']}")
    return campaigns.download(
        data, f"{stem}-{what}", "application/octet-stream" if what.endswith(
            ("vtu", "vtp")) else "text/plain; charset=utf-8")


def _result(run):
    return json.dumps(run["result"], indent=1) if run["result"] else abort(404, "This run has no result yet.")


def _taps(run):
    if store.space_of(g.database, run["campaign_id"]) != "section":
        abort(404, "Only runs of sections have tap readings.")
    data = runs.kept_array(g.database, run["id"], "taps")
    return taps_csv(unpack_taps(data)) if data else abort(404, "This run has no tap readings yet.")


def _lines(run):
    data = runs.kept_array(g.database, run["id"], "taps")
    if not data or not FAMILIES[store.space_of(g.database, run["campaign_id"])].reads_lines:
        abort(404, "This run has no curves along lines.")
    return rows_csv(unpack_rows(data))


def _surface(run, write):
    field, surface = body_of(run["id"])
    return write(field, surface)


def _vtu(run):
    data = runs.kept_array(g.database, run["id"], "field")
    if not data:
        abort(404, "This run has no field yet.")
    if store.space_of(g.database, run["campaign_id"]) == "body":
        return body_vtu(body_of(run["id"])[0])
    _, mesh, state = unpack_field(data)
    setup = prepare(read_toml(run["sheet"]))
    # Planes through a passage are in metres.
    return write_vtu(mesh, state, setup.air, 1.0 if setup.sheet.space == "row" else setup.chord)
