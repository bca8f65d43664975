"""Compare runs: differences with error bars, linked pictures, Cp overlay, differing inputs."""
from flask import Blueprint, g, render_template, request

from ..core.look.body_field import SURFACE_QUANTITIES
from ..core.look.colours import OFFERED
from ..core.look.fields import QUANTITIES, TURBULENT_ONLY
from ..core.sheet import differing_inputs, read_toml
from ..core.study.aim import decimals_of
from ..core.study.comparison import (difference, difference_of, fair_quantity, offered_quantities,
                                     quantity_of, references_differ)
from ..core.study.naming import channel_words
from ..store import campaigns as store, runs, surfaces
from .campaigns import campaign_or_404
from .curves import named_runs
from .phases import moments_of

pages = Blueprint("compare", __name__)
SHOWN = {key: q for key, q in QUANTITIES.items() if key not in TURBULENT_ONLY}
MOST = 6


@pages.get("/campaigns/<int:campaign_id>/compare")
def show(campaign_id):
    campaign = campaign_or_404(campaign_id)
    available = named_runs(campaign_id)
    wanted = request.args.getlist("run", type=int)[:MOST]
    chosen = [r for r in (runs.run(g.database, i) for i in wanted) if r and r["campaign_id"] == campaign_id]
    if len(chosen) < 2:
        return render_template("compare.html", campaign=campaign, available=available, chosen=chosen, rows=[],
                               inputs=[], quantities=SHOWN, maps=OFFERED)
    base = chosen[0]
    names = {str(r["id"]): f"{r['variant_name']} at {r['point_name']}" for r in chosen}
    body = campaign["space"] == "body"
    return render_template(
        "compare.html", campaign=campaign, available=available, chosen=chosen, names=names,
        moments=moments_of(chosen),
        surfaces=_surfaces(chosen) if body else [], rows=_rows(base, chosen, campaign),
        references=references_differ([r["result"] for r in chosen]), inputs=_inputs(base, chosen),
        quantities=SURFACE_QUANTITIES
        if body else {k: q
                      for k, q in SHOWN.items() if k != "cp" or campaign["space"] == "section"}, maps=OFFERED)


def _rows(base, chosen, campaign):
    """What is compared: what the campaign is after first; forces before coefficients where these refer to
    areas of their own."""
    results, space, aim = [r["result"] for r in chosen], campaign["space"], store.aim_of(campaign)
    offered, first = offered_quantities(space, results), fair_quantity(space, results)
    if first != "drag":
        ahead = [k for k in ("drag_area", "drag_force", "lift_force") if k in offered]
        offered = {k: offered[k] for k in (*ahead, *(k for k in offered if k not in ahead))}
    if aim:
        values = [v for r in results if (v := quantity_of(r, aim.quantity)[0]) is not None]
        words = offered.get(aim.quantity, (channel_words(aim.quantity), "", decimals_of(values)))
        offered = {aim.quantity: words, **offered}
    rows = []
    for key, (label, better, decimals) in offered.items():
        cells = []
        for run in chosen:
            value, error = quantity_of(run["result"], key)
            cells.append({
                "value":
                value, "error":
                error, "deviation":
                _deviation(aim, key, run, value, error), "difference":
                None if run is base else difference_of(run["result"], base["result"], key)
            })
        if any(abs(cell["value"] or 0.0) > 1e-9 for cell in cells):
            rows.append({
                "label": label, "decimals": decimals, "cells": cells, "wanted": aim is not None
                and key == aim.quantity
            })
    return rows


def _deviation(aim, key, run, value, error):
    """`Difference` from the aim's reference for a run's cell, or None."""
    given = aim.reference(run["variant_id"], run["point_id"]) if aim and key == aim.quantity else None
    return difference(value, given[0], error, given[1]) if given else None


def _surfaces(chosen):
    """Drag of every named surface in each run; None where a run has no such surface."""
    found = [(run["result"] or {}).get("surfaces", {}) for run in chosen]
    names = dict.fromkeys(name for surfaces in found for name in surfaces)
    return [{"name": name, "values": [s[name]["drag"] if name in s else None for s in found]}
            for name in names] if len(names) > 1 else []


def _inputs(base, chosen):
    """Fields in which any run differs from the base: (label, path, values)."""
    sheets = [read_toml(run["sheet"]) for run in chosen]
    # Imported surfaces are told by their files' names.
    files = {source: f"{name} ({source[-6:]})" for source, name in surfaces.all_surfaces(g.database)}
    table = {}
    for number, sheet in enumerate(sheets[1:], start=1):
        for path, label, one, other in differing_inputs(sheets[0], sheet):
            row = table.setdefault(path, {"label": label, "path": path, "values": [one] * len(chosen)})
            row["values"][number] = other
    for row in table.values():
        row["values"] = [files.get(value, value) for value in row["values"]]
    return list(table.values())
