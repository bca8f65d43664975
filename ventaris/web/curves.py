"""Curves: Cp round the section, friction, histories; any number of runs and measured data on one chart."""
from dataclasses import asdict

import numpy as np
from flask import Blueprint, abort, g, jsonify, redirect, render_template, request, url_for

from ..core import units
from ..core.gas import critical_pressure_coefficient
from ..core.look.wall_cut import ALONG, section_force, wall_cut
from ..core.sheet import read_toml
from ..core.study.naming import channel_words
from ..core.sound.spectra import find_tones, spectrum
from ..core.study.measured import deviation, series_of
from ..core.study.setup import prepare
from ..core.study.supersonic import surface_theory
from ..store import campaigns as store, measured as tables, runs
from ..store.fields import unpack_rows, unpack_taps
from .body_looks import body_of
from .campaigns import campaign_or_404
from .kinds.forces import HISTORIES
from .kinds.registry import SHOWN
from .runs import run_or_404

pages = Blueprint("curves", __name__)
# What loops are drawn over: the axis, and in the list of curves. Channels that only tell where things stand.
LOOPS = {
    "angle": "Angle in degrees, nose up", "height": "Heave in chords, up", "gust":
    "Gust in mid-chord over the stream's speed", "azimuth": "Azimuth in degrees"
}
WORDS_OF_LOOP = {"angle": "the angle", "height": "the heave", "gust": "the gust", "azimuth": "the azimuth"}
PLACES = ("angle", "height", "gust")


@pages.get("/campaigns/<int:campaign_id>/curves")
def show(campaign_id):
    campaign = campaign_or_404(campaign_id)
    chosen = chosen_runs(campaign_id)
    shown = SHOWN[campaign["space"]]
    histories = shown.histories
    return render_template("curves.html", campaign=campaign, runs=named_runs(campaign_id),
                           chosen=[r["id"] for r in chosen], taps=shown.lines, heading=shown.lines_heading,
                           histories={**histories, **_other_channels(chosen, histories)
                                      }, in_time={**_loops_of(chosen), **_times_of(chosen)},
                           measured=tables.measured_of(g.database, campaign_id), spectra=_spectra_of(chosen),
                           what=request.args.get("what", next(iter(shown.lines))),
                           shown_tables=request.args.getlist("table", type=int),
                           cuts=any(key.startswith("cut_") for key in shown.lines),
                           axis=request.args.get("axis", "y"), at=request.args.get("at", ""))


def _other_channels(chosen, known):
    """Formula channels, elements and probes of the chosen runs."""
    names = [name for run in chosen if run["result"] for name in run["result"]["coefficients"]]
    return {name: channel_words(name) for name in dict.fromkeys(names) if name not in known}


def named_runs(campaign_id):
    """The newest run of every cell with readings, in the order of the matrix."""
    latest = runs.latest_runs(g.database, campaign_id)
    out = []
    for variant in store.variants(g.database, campaign_id):
        for point in store.points(g.database, campaign_id):
            run = latest.get((variant["id"], point["id"]))
            if run and runs.array_version(g.database, run["id"], "field"):
                out.append({
                    **run, "variant_name": variant["name"], "point_name": point["name"],
                    "baseline": variant["baseline"]
                })
    return out


def chosen_runs(campaign_id, most=8):
    """Runs named in the query; the first ones of the matrix when none is."""
    wanted = request.args.getlist("run", type=int)
    found = [runs.run(g.database, run_id) for run_id in wanted[:most]]
    found = [r for r in found if r and r["campaign_id"] == campaign_id]
    return found or named_runs(campaign_id)[:1]


@pages.get("/campaigns/<int:campaign_id>/curves.json")
def data(campaign_id):
    """Curves of the chosen runs and tables."""
    space = campaign_or_404(campaign_id)["space"]
    shown, what = SHOWN[space], request.args.get("what", "cp")
    if what not in shown.lines and what == "cp":
        what = shown.first_line
    traces, lines = [], []
    chosen = chosen_runs(campaign_id)
    for number, run in enumerate(chosen):
        name = f"{run['variant_name']} · {run['point_name']}"
        if what.startswith("spectrum:"):
            traces += _spectrum(run, what.removeprefix("spectrum:"), name, number)
        elif what.startswith("loop:"):
            traces += _loop(run, what.removeprefix("loop:"), name, number)
        elif what.startswith("time:"):
            traces += _over_time(run, what.removeprefix("time:"), name, number)
        elif what in shown.lines:
            traces += LINES_OF[space](run, what, name, number)
            if what == "cp" and run["result"]:
                lines += _sonic_level(run, traces)
        else:
            history = runs.history(g.database, run["id"])
            traces.append({"name": name, "group": number, "x": [h["step"] for h in history],
                           "y": [h.get(what) for h in history]})
    shown_tables, deviations = request.args.getlist("table", type=int), []
    for table in tables.measured_of(g.database, campaign_id):
        for one in series_of(table) if table["id"] in shown_tables else ():
            deviations += _deviations(one, traces)
            traces.append({"name": one.name, "x": one.x, "y": one.y, "error": one.error, "measured": True})
    unique = {line["name"]: line for line in lines}
    known = {**shown.histories, **shown.lines}
    stations = "Step"
    if what in shown.lines:
        own = {"plate": "r in m", "span": "share of the span" if space == "row" else "y in m",
               "cut": f"{ALONG.get(request.args.get('axis', 'y'), 'x')} in m"}
        if space == "row" and what.startswith("blade:"):
            own["blade"] = "share of the span"
        stations = own.get(what.replace(":", "_").split("_")[0], shown.station)
    if what.startswith("spectrum:"):
        channel = what.removeprefix("spectrum:")
        return jsonify(traces=traces, lines=[],
                       label=f"Power spectral density of {known.get(channel, channel)}",
                       x="Strouhal number f c / U", reverse=False, log=True)
    if what.startswith(("loop:", "time:")):
        channel = what.split(":", 1)[1]
        over = [
            LOOPS[run["result"]["unsteady"]["cycle"]["over"]] for run in chosen
            if _cycle_of(run)
        ] if what.startswith("loop:") else ["Chords travelled by the stream"]
        return jsonify(traces=traces, lines=[], label=channel_words(channel), reverse=False, log=False,
                       x=", ".join(dict.fromkeys(over)))
    return jsonify(traces=traces, lines=list(unique.values()), label=known.get(what, what), x=stations,
                   deviations=deviations,
                   reverse=what in ("cp", "cut_cp"), log=what == "residual")


def _deviations(one, traces):
    """How far each run's curves lie from a measured series, as plain values."""
    runs_ = {}
    for trace in traces:
        if not trace.get("measured") and not trace.get("theory"):
            runs_.setdefault(trace.get("group"), []).append(trace)
    out = []
    for drawn in runs_.values():
        found = deviation(one, [(t["x"], t["y"]) for t in drawn])
        if found:
            name = drawn[0]["name"].removesuffix(", upper").removesuffix(", lower")
            out.append({"run": name, "series": one.name, **asdict(found)})
    return out


def _spectra_of(chosen):
    """{key: label} of the spectra that the chosen runs have: of every channel of a run followed in time."""
    names = [
        name for run in chosen if run["result"] and run["result"].get("unsteady")
        for name in run["result"]["unsteady"]["channels"]
    ]
    return {
        f"spectrum:{name}": HISTORIES.get(name, name)
        for name in dict.fromkeys(names) if name not in ("residual", "courant")
    }


def _cycle_of(run):
    """The part of a run's result that repeats, or None."""
    return ((run["result"] or {}).get("unsteady") or {}).get("cycle")


def _loops_of(chosen):
    """{key: label} of loops over what moves that the chosen runs have."""
    found = {}
    for run in chosen:
        cycle = _cycle_of(run)
        for name in cycle["channels"] if cycle else ():
            if name not in (*PLACES, "step", "residual", "courant"):
                found.setdefault(f"loop:{name}", f"{channel_words(name)} over {WORDS_OF_LOOP[cycle['over']]}")
    return found


def _times_of(chosen):
    """{key: label} of channels over the time of runs followed in time."""
    names = [
        name for run in chosen if run["result"] and run["result"].get("unsteady")
        for name in run["result"]["coefficients"]
    ]
    return {
        f"time:{name}": f"{channel_words(name)} over time"
        for name in dict.fromkeys(names) if name not in ("step", "residual", "courant")
    }


def _loop(run, channel, name, number):
    """A channel over what moves, through the last cycle."""
    cycle = _cycle_of(run)
    if not cycle:
        return []
    last = [h for h in runs.history(g.database, run["id"]) if "time" in h][-cycle["steps"]:]
    over = cycle["over"]
    if over == "azimuth":
        pairs = sorted((h["angle"] % 360, h.get(channel)) for h in last)
        x, y = [x for x, _ in pairs], [y for _, y in pairs]
    else:
        last = [*last, *last[:1]]
        x, y = [h.get(over) for h in last], [h.get(channel) for h in last]
    return [{"name": name, "group": number, "x": x, "y": y, "loop": over != "azimuth"}]


def _over_time(run, channel, name, number):
    """A channel over the time that was followed on the finest level."""
    record = [h for h in runs.history(g.database, run["id"]) if "time" in h]
    record = [h for h in record if h["level"] == record[-1]["level"]]
    return [{
        "name": name, "group": number, "x": [h["time"]
                                             for h in record], "y": [h.get(channel) for h in record]
    }] if record else []


def _spectrum(run, channel, name, number):
    """Power spectral density of a channel after the start-up, over the Strouhal number, with its strongest
    tone in the name."""
    unsteady = (run["result"] or {}).get("unsteady")
    if not unsteady:
        return []
    history = runs.history(g.database, run["id"])
    # What happens once was followed from its beginning on the coarser level too.
    record = [
        h[channel] for h in history if h["level"] == history[-1]["level"]
        and h.get("time", -1.0) >= unsteady["from"] and isinstance(h.get(channel), float)
    ]
    try:
        found = spectrum(record, 1 / unsteady["step"], max(len(record) // 2, 16))
    except ValueError:
        return []
    tones = find_tones(found)
    tail = f", tone at {tones[0].frequency:.4f} ({tones[0].prominence:.0f} dB out)" if tones else ""
    keep = found.density > 1e-12 * found.density.max()
    return [{
        "name": f"{name}{tail}; {found.segments} segments", "group": number,
        "x": found.frequency[keep].tolist(), "y": found.density[keep].tolist()
    }]


def _nozzle_traces(run, what, name, number):
    """A line of a nozzle's run, and the one-dimensional flow beside it where there is one."""
    stored = runs.kept_array(g.database, run["id"], "taps")
    if not stored:
        return []
    row, column = what.split(":", 1)
    found = unpack_rows(stored).get(row, {})
    out = []
    if column in found:
        out.append({
            "name": f"{name}, {row}", "group": number, "x": found["s"].tolist(), "y": found[column].tolist()
        })
    setup = prepare(read_toml(run["sheet"]))
    if setup.theory and row in ("axis", "wall") and column in ("mach", "pressure"):
        values = setup.theory.mach if column == "mach" else setup.theory.pressure * setup.air.supply_pressure
        out.append({
            "name": f"{name}, one-dimensional", "group": number, "x": setup.stations.tolist(),
            "y": values.tolist(), "theory": True
        })
    return out


def _row_traces(run, what, name, number):
    """A curve of a blade row: both sides of the blade at a span, or what changes over the span."""
    stored = runs.kept_array(g.database, run["id"], "taps")
    if not stored:
        return []
    rows, (row, column) = unpack_rows(stored), what.split(":", 1)
    sides = {row: ""}
    if row.startswith("blade_"):
        sides = {f"{side}_{row[6:]}": side for side in ("suction", "pressure")}
    return [{
        "name": f"{name}, {side} side" if side else name, "group": number,
        "surface": "lower" if side == "pressure" else "upper", "x": rows[key]["s"].tolist(),
        "y": [None if v != v else v for v in rows[key][column].tolist()]
    } for key, side in sides.items() if column in rows.get(key, {})]


def _sonic_level(run, traces):
    """The pressure coefficient at which the flow turns sonic, where the curves come anywhere near it."""
    mach = run["result"]["air"]["mach"]
    if mach >= 1:
        return []
    critical = float(critical_pressure_coefficient(mach))
    lowest = min((min(t["y"]) for t in traces if t["y"]), default=0.0)
    return [{"name": f"Cp*, {run['point_name']}", "value": critical}] if critical > 1.4 * lowest else []


def _tap_traces(run, what, name, number):
    stored = runs.kept_array(g.database, run["id"], "taps")
    if not stored:
        return []
    taps = unpack_taps(stored)
    out = []
    if getattr(taps, what) is None:
        return out
    for surface in taps.sides:
        k = taps.side(surface)
        side = "lower" if surface.endswith("lower") else "upper"
        out.append({
            "name": f"{name}, {surface}", "group": number, "surface": side, "x": taps.x[k].tolist(),
            "y": [None if v != v else v for v in getattr(taps, what)[k].tolist()]
        })
    if what == "cp":
        for side, (theory, x, y) in surface_theory(prepare(read_toml(run["sheet"]))).items():
            out.append({
                "name": f"{name}, {side} by {theory}", "group": number, "surface": side, "x": x.tolist(),
                "y": y.tolist(), "theory": True
            })
    return out


@pages.get("/runs/<int:run_id>/curves")
def of_run(run_id):
    run = run_or_404(run_id)
    return redirect(url_for(".show", campaign_id=run["campaign_id"], run=run_id))


def cut_asked(args):
    """Axis and place of a cut of the wall as asked for in a query: ("x" | "y" | "z", metres); 400 with the
    mend where they are none."""
    axis, text = args.get("axis", "y"), args.get("at", "").strip() or "0"
    if axis not in ALONG:
        abort(400, f"axis = {axis[:20]}: accepted are x, y and z.")
    try:
        at = units.parse(text, "m")
    except ValueError as error:
        abort(400, f"at: {error}")
    return axis, at


def _cut_traces(run, what, name, number):
    """Readings along the line in which a plane cuts a body's wall; across y with the section's force in the
    name."""
    axis, at = cut_asked(request.args)
    if not runs.array_version(g.database, run["id"], "field"):
        return []
    field, drawn = body_of(run["id"])
    cut = wall_cut(drawn, axis, at / field.scale)
    if not len(cut.middle):
        reach = drawn.points[:, "xyz".index(axis)] * field.scale
        return [{"name": f"{name}: no wall at {axis} = {at:g} m, it reaches from {reach.min():.4g} to "
                 f"{reach.max():.4g} m",
                 "group": number, "x": [], "y": []}]
    read = field.readings(cut.middle, cut.normal)
    if axis == "y":
        chord, force = section_force(cut, read["cp"])
        air = run["result"]["air"] if run["result"] else {}
        angle = np.radians(air.get("incidence", 0.0))
        lift = force[1] * np.cos(angle) - force[0] * np.sin(angle)
        name += f": chord {chord * field.scale:.4g} m, lift of the pressure over it {lift:.3f}"
    along = cut.middle[:, "xyz".index(ALONG[axis])] * field.scale
    line, *drawn_through = cut.gathered(field.nearest_reading(cut.middle, cut.normal),
                                        along, read[what.removeprefix("cut_")])
    x, y = [], []
    for k in range(int(line.max()) + 1):
        # Between lines the pen is lifted.
        for out, values in zip((x, y), drawn_through):
            out += [*values[line == k].tolist(), None]
    return [{"name": name, "group": number, "x": x[:-1], "y": y[:-1]}]


def _body_traces(run, what, name, number):
    """What a body's run has gathered from the nose to each station, what acts across its span, or readings
    along a cut of its wall."""
    kind, force = what.split("_")
    if kind == "cut":
        return _cut_traces(run, what, name, number)
    part, along = {"build": ("build_up", "x"), "span": ("span_load", "y")}[kind]
    found = (run["result"] or {}).get(part)
    return [{"name": name, "group": number, "x": found[along], "y": found[force]}] if found else []


# How a curve along the shape is read, by family.
LINES_OF = {"section": _tap_traces, "body": _body_traces, "nozzle": _nozzle_traces,
            "row": _row_traces}
