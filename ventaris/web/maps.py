"""Polars and operating maps: what was found over incidence, speed or Mach number, or over a nozzle's
pressures, for every variant."""
from typing import NamedTuple

from flask import Blueprint, g, jsonify, redirect, render_template, request, url_for

from ..core import units
from ..core.sheet import SheetError, read_section
from ..core.study.kinds.registry import FAMILIES
from ..core.study.kinds.row.line import LinePoint, efficiency_contours, read_line
from ..core.study.measured import series_of
from ..core.study.kinds.section.polar import series, summarise_polar
from ..store import campaigns as store, runs
from ..store.measured import measured_of
from .campaigns import campaign_or_404
from .kinds import forces, nozzle, row
from .kinds.registry import SHOWN
from .matrix import start_run

pages = Blueprint("maps", __name__)
# Charts of a polar: key, x, y, their titles; "x" is what is swept.
POLAR_CHARTS = (("lift", "x", "lift", None, "CL"), ("polar", "drag", "lift", "CD", "CL"),
                ("moment", "x", "moment", None, "CM"), ("drag", "x", "drag", None, "CD"))
# Charts of a nozzle's map in order of preference: as many as fit, of those that the runs have.
NOZZLE_CHARTS = ("tone", "sound_level", "mass_flow", "thrust", "plate_shear", "discharge",
                 "thrust_coefficient", "shock", "pressure_ratio", "exit_mach")
MOST_CHARTS = 4


@pages.get("/campaigns/<int:campaign_id>/map")
def show(campaign_id):
    campaign = campaign_or_404(campaign_id)
    axes, across = _axes(campaign), _across(campaign)
    lines = _lines(campaign, across)
    return render_template("map.html", campaign=campaign, across=across,
                           choices={key: label
                                    for key, (label, _) in axes.items()}, lines=lines,
                           charts=_charts(campaign, across, lines),
                           closed=lambda entry, closing: CLOSED_BY[entry["outlet"]].words(closing),
                           speed_lines=speed_lines(campaign_id) if campaign["space"] == "row" else ())


def choices_of(campaign):
    """What can be swept in a campaign of this kind: {key: (label, unit)}."""
    return SHOWN[campaign["space"]].swept


def _axes(campaign):
    return SHOWN[campaign["space"]].axes


def _across(campaign):
    """What a map is drawn over: as asked for, or as the kind has it first; no mass flow where no row stands
    in a duct."""
    across = request.args.get("across", next(iter(_axes(campaign))))
    if campaign["space"] != "row" or across in row.AXES and across not in FLOWS:
        return across
    results = [run["result"] for _, done in _finished(campaign["id"]) for run in done]
    if not results or any("mass_flow" in result["coefficients"] for result in results):
        return across
    return _axis_in_the_open(results[0])


def _axis_in_the_open(result):
    """What a rotor in the open is drawn over: the tip-speed ratio where it takes power from the wind."""
    return "tip_speed_ratio" if result["coefficients"].get("wheel_power", 0.0) > 0 else "advance"


def _charts(campaign, across, lines):
    """The charts of a map: what is drawn over what, with titles."""
    axes = _axes(campaign)
    label = axes.get(across, next(iter(axes.values())))[0]
    return CHARTS_OF[campaign["space"]](label, lines)


def _polar_charts(label, lines):
    """Charts of a polar, over what is swept or over each other."""
    return [{"key": key, "x": x, "y": y, "x_title": x_title or label, "y_title": y_title}
            for key, x, y, x_title, y_title in POLAR_CHARTS]


def _charts_there(space, keys):
    """Charts of a kind's quantities over what is swept: as many as fit, of what the runs have."""
    def charts(label, lines):
        quantities, rows = FAMILIES[space].quantities.words, [row for line in lines for row in line["rows"]]
        there = [key for key in keys if any(row.get(key) is not None for row in rows)]
        return [{"key": key, "x": "x", "y": key, "x_title": label, "y_title": quantities[key][0]}
                for key in there[:MOST_CHARTS]]

    return charts


def _lines(campaign, across):
    return LINES_OF[campaign["space"]](campaign["id"], across)


def _finished(campaign_id):
    """(variant, its finished runs) of every variant."""
    latest, points = runs.latest_runs(g.database, campaign_id), store.points(g.database, campaign_id)
    for variant in store.variants(g.database, campaign_id):
        yield variant, [
            run for point in points if (run := latest.get((variant["id"], point["id"]))) and run["result"]
        ]


def _row(run, x, names):
    """One point of a line: values, error bars, the run to open."""
    coefficients, trends = run["result"]["coefficients"], run["result"]["trends"]
    return {
        "x": x, "run": run["id"], "settled": run["state"] == "settled",
        **{name: coefficients.get(name)
           for name in names}, **{f"{name}_error": trends[name]["error"]
                                  for name in names if name in trends}
    }


def polar_lines(campaign_id, across):
    """For every variant its finished points in order of the swept quantity, with a summary."""
    across = across if across in forces.SWEPT else "incidence"
    out = []
    for variant, done in _finished(campaign_id):
        done.sort(key=lambda run: run["result"]["air"][across])
        rows = [_row(run, run["result"]["air"][across], ("lift", "drag", "moment")) for run in done]
        summary = summarise_polar([r["x"] for r in rows], [r["lift"] for r in rows],
                                  [r["drag"]
                                   for r in rows]) if across == "incidence" and len(rows) > 1 else None
        out.append({"variant": variant["name"], "rows": rows, "summary": summary})
    return out


def nozzle_lines(campaign_id, across):
    """For every variant its finished points in order of the pressures, with one-dimensional theory beside
    mass flow and thrust."""
    key = across if across in nozzle.AXES else "ratio"
    scale, out = nozzle.AXES[key][1], []
    for variant, done in _finished(campaign_id):
        rows = []
        for run in done:
            theory = run["result"].get("theory") or {}
            row = _row(run, scale * run["result"]["air"][key], NOZZLE_CHARTS)
            row |= {
                f"{name}_theory": theory.get(name)
                for name in ("mass_flow", "thrust", "exit_mach", "shock")
            }
            row["tone_theory"] = (run["result"].get("noise") or {}).get("formula")
            rows.append(row)
        out.append(
            {"variant": variant["name"], "rows": sorted(rows, key=lambda row: row["x"]), "summary": None})
    return out


# Charts of a blade row's map: those in a duct over the mass flow, those in the open over the advance.
ROW_CHARTS = ("pressure_ratio", "efficiency", "thrust_coefficient", "power_coefficient", "wheel_power",
              "wheel_thrust", "power", "thrust", "figure_of_merit")


def row_lines(campaign_id, across):
    """For every variant a line for each speed of rotation in a duct, else one over what is asked for; with
    blade elements and momentum beside the rotors in the open."""
    out, fallen = [], {run for entry in speed_lines(campaign_id) for run in entry["line"].beyond}
    for variant, done in _finished(campaign_id):
        groups = {}
        for run in done:
            result = run["result"]
            air, ducted = result["air"], "mass_flow" in result["coefficients"]
            key = across
            if key not in row.AXES or (key in FLOWS and not ducted):
                key = "mass_flow" if ducted else _axis_in_the_open(result)
            x = result["coefficients"][key] if key in FLOWS else air[key]
            line = _speed_words(air, key) if key in FLOWS else ""
            found = _row(run, x, ROW_CHARTS) | _rotor_theory(result) | {"fallen": run["id"] in fallen}
            groups.setdefault(line, []).append(found)
        for line, rows in sorted(groups.items()):
            out.append({"variant": variant["name"] + (f", {line}" if len(groups) > 1 else ""),
                        "rows": sorted(rows, key=lambda found: found["x"]), "summary": None})
    return out


# Axes over which a duct's points make lines of one speed of rotation.
FLOWS = ("mass_flow", "corrected_flow")


def _speed_words(air, key):
    """The speed of a line; over the corrected flow that of air at 288.15 K ahead."""
    speed = air["speed_of_rotation"]
    if key == "mass_flow":
        return f"{speed:g} rpm"
    return f"{speed * (288.15 / air['temperature'])**0.5:.0f} rpm corrected"


def _contours(campaign_id):
    """[{"variant", "level", "x", "y"}]: lines of equal efficiency of variants with several speed lines."""
    lines_of, out = {}, []
    for entry in speed_lines(campaign_id):
        variant = entry["variant"]
        lines_of.setdefault((variant["id"], variant["name"]), []).append((entry["speed"], entry["line"]))
    for (_, name), lines in lines_of.items():
        out += [{"variant": name, "level": level, "x": curve[:, 0].round(6).tolist(),
                 "y": curve[:, 1].round(6).tolist()} for level, curve in efficiency_contours(lines)]
    return out


def speed_lines(campaign_id):
    """Of every variant and speed of rotation in a duct {"variant", "speed", "line", "waits"}: what its points
    say, and whether one of them is still to come."""
    out, latest = [], runs.latest_runs(g.database, campaign_id)
    points = {point["id"]: point for point in store.points(g.database, campaign_id)}
    for variant, done in _finished(campaign_id):
        groups = {}
        for run in done:
            air = points[run["point_id"]]["air"]
            c = run["result"]["coefficients"]
            if "mass_flow" not in c or not air["speed"]:
                continue
            key = air["speed"], air["outlet"]
            groups.setdefault(key, []).append(
                LinePoint(CLOSED_BY[air["outlet"]].of(air), c["mass_flow"], c["pressure_ratio"],
                          c.get("efficiency"), run["state"] == "settled",
                          c.get("back_flow") or 0.0, run["id"]))
        waits = {(points[p]["air"]["speed"], points[p]["air"]["outlet"])
                 for (v, p), run in latest.items()
                 if v == variant["id"] and p in points and run["state"] in runs.ACTIVE}
        out += [{"variant": variant, "speed": key[0], "outlet": key[1], "line": read_line(found),
                 "waits": key in waits} for key, found in sorted(groups.items())]
    return out


class Closing(NamedTuple):
    """What is changed to throttle a row: a field of the air; a line's `closing` is that times `sign`, and
    grows; pages show it times `scale`, in `unit`."""

    field: str
    sign: int
    scale: float
    unit: str
    digits: int

    def of(self, air):
        return self.sign * air[self.field]

    def words(self, closing):
        return f"{self.sign * closing * self.scale:.{self.digits}f} {self.unit}".replace("-", "−")


# By what holds the outlet.
CLOSED_BY = {
    "pressure": Closing("back_pressure", 1, 1e-3, "kPa", 2), "throttle":
    Closing("throttle_rise", 1, 1e-3, "kPa", 2), "flow": Closing("outlet_flow", -1, 1.0, "kg/s", 3)
}


@pages.post("/campaigns/<int:campaign_id>/map/close")
def close_further(campaign_id):
    """Run one more point of a speed line: half-way between its last stable and its first stalled one, or a
    step further."""
    campaign = campaign_or_404(campaign_id)
    wanted = request.form.get("variant"), request.form.get("speed"), request.form.get("outlet")
    found = next((entry for entry in (speed_lines(campaign_id) if campaign["space"] == "row" else ())
                  if (str(entry["variant"]["id"]), f"{entry['speed']:g}", entry["outlet"]) == wanted), None)
    if not found or found["line"].next_closing is None:
        raise SheetError([
            ("line", "This line has no further point to look for: its end is known as well as it is going to "
             "be, or it has fewer than two points. Add a series of points.")
        ])
    closed = CLOSED_BY[found["outlet"]]
    closing = float(f"{found['line'].next_closing:.6g}")
    points = store.points(g.database, campaign_id)
    last = runs.run(g.database, found["line"].last.run)
    like = next(point for point in points if point["id"] == last["point_id"])
    air = {**like["air"], closed.field: closed.sign * closing}
    same = next((point for point in points if point["air"] == air), None)
    if same is None:
        turned = "" if len({p["air"]["speed"] for p in points}) == 1 else f" at {found['speed']:g} rpm"
        taken = {point["name"] for point in points}
        label = f"{PREFIXES[closed.field]} {closed.sign * closing * closed.scale:g} {closed.unit}{turned}"
        while label in taken:
            label += "*"
        added = store.add_point(g.database, campaign_id, label, air)
        same = store.point(g.database, added)
    start_run(store.campaign(g.database, campaign_id), found["variant"], same)
    return redirect(url_for(".show", campaign_id=campaign_id))


def _rotor_theory(result):
    """Blade elements and momentum in the coefficients of the computed values."""
    theory, c = result.get("theory") or {}, result["coefficients"]
    out = {}
    for name in ("thrust", "thrust_coefficient", "wheel_thrust", "power", "power_coefficient", "wheel_power"):
        source = "thrust" if "thrust" in name else "power"
        if name in c and theory.get(source) is not None and c[source]:
            out[f"{name}_theory"] = c[name] * theory[source] / c[source]
    return out


@pages.get("/campaigns/<int:campaign_id>/map.json")
def data(campaign_id):
    campaign = campaign_or_404(campaign_id)
    across = _across(campaign)
    lines = _lines(campaign, across)
    contours = _contours(campaign_id) if campaign["space"] == "row" and across == "mass_flow" else []
    charts = _charts(campaign, across, lines)
    return jsonify(lines=[{"variant": line["variant"], "rows": line["rows"]} for line in lines],
                   charts=charts, contours=contours, measured=_measured(campaign_id, charts))


def _measured(campaign_id, charts):
    """Measured values laid over the charts of their channels: over what is swept, or over each other where
    both were measured."""
    out = []
    for table in measured_of(g.database, campaign_id):
        found = series_of(table)
        for chart in charts:
            under = next((one for one in found if one.channel == chart["x"]), None)
            for one in found:
                if one.channel == chart["y"] and (under or chart["x"] == "x"):
                    out.append({"chart": chart["key"], "name": one.name, "x": under.y if under else one.x,
                                "y": one.y, "error": one.error})
    return out


@pages.route("/campaigns/<int:campaign_id>/points/sweep", methods=["GET", "POST"])
def sweep(campaign_id):
    """Add a series of operating points that differ in one quantity."""
    campaign = campaign_or_404(campaign_id)
    points = store.points(g.database, campaign_id)
    if request.method == "GET":
        return render_template("sweep.html", campaign=campaign, points=points, choices=choices_of(campaign),
                               problems=(), form={})
    try:
        added = _add_series(campaign, points, request.form)
    except SheetError as error:
        return render_template("sweep.html", campaign=campaign, points=points, choices=choices_of(campaign),
                               form=request.form, problems=[m for _, m in error.problems]), 400
    return redirect(url_for("matrix.show", campaign_id=campaign_id, added=added))


# What a swept quantity changes in the air section, beside itself, and what its points are called.
WITH_IT = {
    "mach": {"motion": "mach"}, "speed": {"motion": "speed"}, "total_pressure": {"supply": "total"},
    "back_pressure": {"outlet": "pressure"}, "mass_flow": {"supply": "mass flow"},
    "jet_mach": {"supply": "jet mach"}, "throttle_rise": {"outlet": "throttle"},
    "outlet_flow": {"outlet": "flow"}
}
PREFIXES = {
    "incidence": "α", "mach": "M", "speed": "V", "total_pressure": "p₀", "back_pressure": "back",
    "mass_flow": "flow", "jet_mach": "Mj",
    "throttle_rise": "throttle", "outlet_flow": "flow", "wind": "wind"
}


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


# How a map is gathered and drawn, by family.
LINES_OF = {"section": polar_lines, "body": polar_lines, "nozzle": nozzle_lines,
            "row": row_lines}
CHARTS_OF = {
    "section": _polar_charts, "body": _polar_charts, "nozzle": _charts_there("nozzle", NOZZLE_CHARTS),
    "row": _charts_there("row", ROW_CHARTS)
}
