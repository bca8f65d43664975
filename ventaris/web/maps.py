"""Polars and maps: a coefficient over incidence, speed or Mach number, for every variant."""
from flask import Blueprint, abort, g, jsonify, redirect, render_template, request, url_for

from ..core import units
from ..core.sheet import SheetError, read_section
from ..core.study.polar import series, summarise_polar
from ..store import campaigns as store, runs
from .campaigns import campaign_or_404

pages = Blueprint("maps", __name__)
ACROSS = {"incidence": ("Incidence α, °", "deg"), "mach": ("Mach number", ""), "speed": ("Speed, m/s", "m/s")}
ACROSS_NOZZLE = {"total_pressure": ("Total pressure of the supply, Pa", "Pa"), "back_pressure": ("Back pressure, Pa", "Pa"), "mass_flow": ("Mass flow of the supply, kg/s", "kg/s")}
CHARTS = {"lift": ("CL over the sweep", "CL"), "polar": ("CL over CD", "CL"), "moment": ("CM over the sweep", "CM"), "drag": ("CD over the sweep", "CD")}


@pages.get("/campaigns/<int:campaign_id>/map")
def show(campaign_id):
    campaign = _with_polars(campaign_id)
    lines = polar_lines(campaign_id, request.args.get("across", "incidence"))
    return render_template("map.html", campaign=campaign, across=request.args.get("across", "incidence"), choices=ACROSS, lines=lines, charts=CHARTS)


def choices_of(campaign):
    """What can be swept in a campaign of this kind: {key: (label, unit)}."""
    return ACROSS_NOZZLE if campaign["space"] == "nozzle" else ACROSS


def _with_polars(campaign_id):
    campaign = campaign_or_404(campaign_id)
    if campaign["space"] == "nozzle":
        abort(404, "Polars are of sections and bodies. A nozzle's runs are compared in the test matrix and on the curves.")
    return campaign


def polar_lines(campaign_id, across):
    """For every variant its settled points in order of the swept quantity, with a summary."""
    across = across if across in ACROSS else "incidence"
    latest, out = runs.latest_runs(g.database, campaign_id), []
    points = store.points(g.database, campaign_id)
    for variant in store.variants(g.database, campaign_id):
        done = [run for point in points if (run := latest.get((variant["id"], point["id"]))) and run["result"]]
        done.sort(key=lambda run: run["result"]["air"][across])
        rows = [{"x": run["result"]["air"][across], "run": run["id"], "settled": run["state"] == "settled",
                 **{name: run["result"]["coefficients"][name] for name in ("lift", "drag", "moment")},
                 **{f"{name}_error": run["result"]["trends"][name]["error"] for name in ("lift", "drag", "moment")}} for run in done]
        summary = summarise_polar([r["x"] for r in rows], [r["lift"] for r in rows], [r["drag"] for r in rows]) if across == "incidence" and len(rows) > 1 else None
        out.append({"variant": variant["name"], "rows": rows, "summary": summary})
    return out


@pages.get("/campaigns/<int:campaign_id>/map.json")
def data(campaign_id):
    _with_polars(campaign_id)
    across = request.args.get("across", "incidence")
    lines = [{"variant": line["variant"], "rows": line["rows"]} for line in polar_lines(campaign_id, across)]
    return jsonify(lines=lines, label=ACROSS.get(across, ACROSS["incidence"])[0])


@pages.route("/campaigns/<int:campaign_id>/points/sweep", methods=["GET", "POST"])
def sweep(campaign_id):
    """Add a series of operating points that differ in one quantity."""
    campaign = campaign_or_404(campaign_id)
    points = store.points(g.database, campaign_id)
    if request.method == "GET":
        return render_template("sweep.html", campaign=campaign, points=points, choices=choices_of(campaign), problems=(), form={})
    try:
        added = _add_series(campaign, points, request.form)
    except SheetError as error:
        return render_template("sweep.html", campaign=campaign, points=points, choices=choices_of(campaign), form=request.form, problems=[m for _, m in error.problems]), 400
    return redirect(url_for("campaigns.matrix", campaign_id=campaign_id, added=added))


# What a swept quantity changes in the air section, beside itself, and what its points are called.
WITH_IT = {"mach": {"motion": "mach"}, "speed": {"motion": "speed"}, "total_pressure": {"supply": "total"}, "back_pressure": {"outlet": "pressure"}, "mass_flow": {"supply": "mass flow"}}
PREFIXES = {"incidence": "α", "mach": "M", "speed": "V", "total_pressure": "p₀", "back_pressure": "back", "mass_flow": "flow"}


def _add_series(campaign, points, form):
    campaign_id, offered = campaign["id"], choices_of(campaign)
    across = form.get("across", next(iter(offered)))
    if across not in offered:
        raise SheetError([("across", f"“{across}” cannot be swept; known are {', '.join(offered)}.")])
    base = next((p for p in points if str(p["id"]) == form.get("copy")), None)
    values = {}
    for name in ("from", "to", "step"):
        try:
            values[name] = units.parse(form.get(name, ""), offered[across][1])
        except units.UnitError as error:
            raise SheetError([(name, f"{name}: {error}.")]) from None
    try:
        stations = series(values["from"], values["to"], values["step"])
    except ValueError as error:
        raise SheetError([("step", f"{error}.")]) from None
    air = dict(base["air"]) if base else {}
    prefix = form.get("name", "").strip() or PREFIXES[across]
    existing = {p["name"] for p in points}
    added = 0
    wanted = []
    for value in stations:
        change = {across: value, **WITH_IT.get(across, {})}
        name = f"{prefix} {value:g}".replace("-", "−") + ("°" if across == "incidence" else "")
        if name not in existing:
            wanted.append((name, {**air, **change}))
    for name, values_ in wanted:
        # Checked one by one before any is stored.
        read_section("air", values_, campaign["space"])
    for name, values_ in wanted:
        store.add_point(g.database, campaign_id, name, values_)
        added += 1
    return added


