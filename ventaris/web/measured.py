"""Measured data: brought in from CSV, what their columns are, taken away."""
from flask import Blueprint, abort, g, redirect, render_template, request, url_for

from ..core import units
from ..core.sheet import SheetError
from ..core.study.kinds.registry import FAMILIES
from ..core.study.measured import ROLES, roles_of
from ..core.units import UnitError
from ..store import campaigns as store, deletions, measured as tables
from .campaigns import campaign_or_404
from .uploads import parse_upload

pages = Blueprint("measured", __name__)
LARGEST_TABLE = 2_000_000


@pages.post("/campaigns/<int:campaign_id>/measured")
def add(campaign_id):
    """Bring in measured data from CSV."""
    campaign_or_404(campaign_id)
    upload = request.files.get("file")
    if upload is None or not upload.filename:
        raise SheetError([("file", "Choose a CSV file with measured data first.")])
    parsed = parse_upload("measured", upload.read(LARGEST_TABLE + 1))
    name = request.form.get("name", "").strip() or upload.filename.rsplit(".", 1)[0]
    table_id = tables.add_measured(g.database, campaign_id, name[:80], parsed["columns"])
    return redirect(
        url_for("curves.show", campaign_id=campaign_id, run=request.form.getlist("run"),
                what=request.form.get("what", "cp"), table=request.form.getlist("table") + [table_id]))


def _table_or_404(table_id):
    return tables.table(g.database, table_id) or abort(404)


@pages.route("/measured/<int:table_id>", methods=["GET", "POST"])
def columns(table_id):
    """What each column is: x, a value, an uncertainty; its factor, and the channel that it measures."""
    table, problems, status = _table_or_404(table_id), (), 200
    campaign = store.campaign(g.database, table["campaign_id"]) or abort(404)
    roles = roles_of(table)
    if request.method == "POST":
        roles, problems = _read(request.form, list(table["columns"]))
        if not problems:
            tables.describe(g.database, table_id, request.form.get("name", table["name"]), roles)
            return redirect(url_for("curves.show", campaign_id=campaign["id"], table=table_id))
        status = 400
    names = FAMILIES[campaign["space"]].quantities.words
    return render_template("measured.html", campaign=campaign, table=table, roles=roles, kinds=ROLES,
                           names=names, problems=problems), status


def _read(form, names):
    """({column: (role, factor, channel)}, problems) of a filled form."""
    roles, problems = {}, []
    for k, name in enumerate(names):
        role, text = form.get(f"role.{k}", ""), form.get(f"factor.{k}", "1")
        try:
            factor = units.parse(text, "")
            if factor == 0:
                problems.append(f"factor of “{name}”: 0 leaves nothing. Write for example 0.001 for mm in m.")
        except UnitError as error:
            problems.append(f"factor of “{name}”: {error}")
            factor = text
        roles[name] = role if role in ROLES else "", factor, form.get(f"channel.{k}", "").strip()[:80]
    if sum(role == "x" for role, *_ in roles.values()) != 1:
        problems.append("x: choose the one column that stands under the curves.")
    if not any(role == "value" for role, *_ in roles.values()):
        problems.append("value: choose at least one column that was measured.")
    return roles, problems


@pages.post("/measured/<int:table_id>/delete")
def delete(table_id):
    row = _table_or_404(table_id)
    deletions.delete(g.database, "measured data", table_id, row["name"])
    return redirect(url_for("curves.show", campaign_id=row["campaign_id"]))
