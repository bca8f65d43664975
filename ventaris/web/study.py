"""The grid study of a cell: the same sheet on finer and coarser grids, and where its numbers tend."""
from flask import Blueprint, abort, g, redirect, render_template, request, url_for

from ..core.sheet import SheetError, write_toml
from ..core.study.checks import examine
from ..core.study.gridstudy import fit, read_factors, scaled
from ..store import campaigns as store, runs
from .looks import fit_chart
from .sheets import cell_or_404

pages = Blueprint("study", __name__)
SHOWN = {"lift": "CL", "drag": "CD", "moment": "CM"}


@pages.route("/sheet/<int:variant_id>/<int:point_id>/study", methods=["GET", "POST"])
def show(variant_id, point_id):
    campaign, variant, point = cell_or_404(variant_id, point_id)
    if campaign["space"] != "section":
        abort(
            404,
            "Grid studies are of sections; the climb of a body or nozzle over three levels gives its trend.")
    problems = []
    if request.method == "POST":
        try:
            _queue(campaign, variant, point, request.form.get("factors", ""))
            return redirect(url_for(".show", variant_id=variant_id, point_id=point_id))
        except SheetError as error:
            problems = [message for _, message in error.problems]
    found = _newest(runs.study_runs(g.database, variant_id, point_id))
    done = [run for run in found if run["result"] and run["state"] == "settled"]
    fits = {
        name: fit([r["result"]["cells"] for r in done], [r["result"]["coefficients"][name] for r in done])
        for name in SHOWN
    } if len(done) > 1 else {}
    charts = {
        name: fit_chart([r["result"]["cells"]
                         for r in done], [r["result"]["coefficients"][name]
                                          for r in done], fits[name], SHOWN[name])
        for name in fits
    }
    active = any(run["state"] in runs.ACTIVE for run in found)
    return render_template("study.html", campaign=campaign, variant=variant, point=point, found=found,
                           fits=fits, charts=charts, labels=SHOWN, active=active, problems=problems,
                           factors=request.form.get("factors", "0.7 1 1.4")), 400 if problems else 200


def _newest(found):
    """The newest run of every factor, the finest last."""
    newest = {}
    for run in found:
        newest.setdefault(run["study"], run)
    return [newest[factor] for factor in sorted(newest)]


def _queue(campaign, variant, point, text):
    try:
        factors = read_factors(text)
    except ValueError as error:
        raise SheetError([("factors", str(error))]) from None
    sheet = store.compose_sheet(campaign, variant, point)
    made = []
    for factor in factors:
        finer = scaled(sheet, factor)
        setup, findings = examine(finer)
        stops = [(f.path, f"grid × {factor:g}: {f.message}") for f in findings if f.grade == "stop"]
        if stops or setup is None:
            raise SheetError(stops)
        made.append((factor, write_toml(finer), runs.expected(g.database, setup)))
    for factor, toml, cost in made:
        runs.add_run(g.database, campaign["id"], variant["id"], point["id"], toml, study=factor, **cost)
