"""The test matrix that is a campaign's home: a row for each variant, a column for each operating point."""
from flask import Blueprint, current_app, g, redirect, render_template, request, url_for
from flask_wtf.csrf import generate_csrf
from markupsafe import Markup

from ..core.sheet import SECTIONS_OF, SheetError, differing_inputs, read_toml, write_toml
from ..core.sheet.exceptions import place_of
from ..core.study.checks import examine
from ..core.study.comparison import (difference_of, fair_quantity, offered_quantities, quantity_of,
                                     references_differ)
from ..core.study.kinds.registry import FAMILIES
from ..store import campaigns as store, runs
from ..worker.loop import is_worker_running
from .aims import standing_of
from .campaigns import campaign_or_404

pages = Blueprint("matrix", __name__)


@pages.get("/campaigns/<int:campaign_id>")
def show(campaign_id):
    campaign = campaign_or_404(campaign_id)
    table, show = _table(campaign)
    return render_template("matrix.html", campaign=campaign, table=table, show=show)


@pages.get("/campaigns/<int:campaign_id>/matrix")
def table(campaign_id):
    """The table alone, for the page to refresh itself."""
    campaign = campaign_or_404(campaign_id)
    return _table(campaign)[0]


def _table(campaign):
    """(markup of the matrix, quantity that it shows), kept as long as nothing changes that it is made from:
    a thousand cells take a third of a second."""
    key = (str(current_app.config["FOLDER"]), campaign["id"], campaign["revision"], campaign["name"],
           campaign["question"], campaign["aim"], runs.stamps(g.database).get(campaign["id"]),
           request.args.get("show", "")[:80])
    found = _tables.get(key)
    if found is None:
        values = _matrix(campaign)
        found = render_template("partials/matrix_table.html", campaign=campaign, csrf_token=lambda: TOKEN,
                                **values), values["show"]
        if not values["active"]:
            if len(_tables) >= TABLES_KEPT:
                _tables.clear()
            _tables[key] = found
    markup, show = found
    return Markup(markup.replace(TOKEN, generate_csrf())), show


# Matrices by what they were made from. The token against forgery, another for every session, is put in
# where this stands.
_tables, TABLES_KEPT, TOKEN = {}, 40, "token-of-this-session-c2b1f0"


def _matrix(campaign):
    variants, points = store.variants(g.database, campaign["id"]), store.points(g.database, campaign["id"])
    latest = runs.latest_runs(g.database, campaign["id"])
    shown = {(v["id"], p["id"]) for v in variants for p in points}
    results = [run["result"] for cell, run in latest.items() if cell in shown and run["result"]]
    offered, key = offered_quantities(campaign["space"], results), request.args.get("show", "")
    if key not in offered:
        noise = campaign["setup"].get("flow", {}).get("model") == "noise"
        aim = store.aim_of(campaign)
        wanted = aim.quantity if aim else ""
        key = wanted if wanted in offered else "tone" if noise and "tone" in offered else fair_quantity(
            campaign["space"], results)
    space, own, rows = campaign["space"], store.exceptions_of(campaign), []
    portrait = FAMILIES[space].portrait
    heads = [{**_point_head(campaign, variants, point),
              "own": _own_words(space, own.get(place_of("point", 0, point["id"])))} for point in points]
    for variant in variants:
        rows.append({
            **_cells(campaign, variants, variant, points, latest, key, offered[key][2], own),
            "variant": variant,
            "outline": portrait.outline(variant["shape"]), "words": portrait.words(variant["shape"]),
            "own": _own_words(space, own.get(place_of("variant", variant["id"], 0)))
        })
    standing = standing_of(campaign, variants, points, latest)
    missing, active = sum(row["missing"] for row in rows), any(row["active"] for row in rows)
    return {
        "rows": rows, "standing": standing, "heads": heads, "show": key, "offered": offered,
        "references": references_differ(results), "missing": missing, "active": active,
        "worker": is_worker_running(current_app.config["FOLDER"]) if active else True
    }


def _cells(campaign, variants, variant, points, latest, key, decimals, own):
    """The cells of a variant's row: ``markup``, how many are ``missing``, whether one is ``active``; kept as
    long as nothing of theirs changes, so that a run that ends costs one row and not a thousand cells."""
    told = [_stamp(latest.get((v["id"], p["id"]))) for v in (variant, variants[0]) for p in points]
    made = [runs.revisions(campaign, variant, p) for p in points]
    differ = [_own_words(campaign["space"], own.get(place_of("cell", variant["id"], p["id"]))) if own else ""
              for p in points]
    names = tuple(p["name"] for p in points), variant["name"], variant["baseline"]
    stamp = (str(current_app.config["FOLDER"]), variant["id"], key, decimals, names, *told, *made, *differ)
    found = _rows.get(stamp)
    if found is None:
        cells = [{**_cell(campaign, variants, variant, point, latest, key), "own": words}
                 for point, words in zip(points, differ)]
        markup = render_template("partials/matrix_cells.html", campaign_id=campaign["id"], variant=variant,
                                 row={"cells": cells}, show=key, decimals=decimals, csrf_token=lambda: TOKEN)
        found = {
            "markup": Markup(markup), "missing": sum(cell["run"] is None or cell["stale"] for cell in cells),
            "active": any(cell["run"] and cell["run"]["state"] in runs.ACTIVE for cell in cells)
        }
        if len(_rows) >= ROWS_KEPT:
            _rows.clear()
        if not found["active"]:
            _rows[stamp] = found
    return found


# Rows by what their cells were made from.
_rows, ROWS_KEPT = {}, 2000


def _stamp(run):
    """What tells whether a run's cell has changed."""
    return run and (run["id"], run["state"], run["finished"], run["made_from"])


def _own_words(space, settings):
    """What a variant, operating point or cell has that differs from the campaign's settings, in one line."""
    said = []
    for path, value in (settings or {}).items():
        section, name = path.split(".")
        label = (SECTIONS_OF[space][section].meta(name) or {}).get("label", name).lower()
        text = "automatic" if value is None else f"{value:g}" if isinstance(value, float) else str(value)
        said.append(f"{label}: {len(value)} of its own" if isinstance(value, list) else f"{label} {text}")
    return ", ".join(said)


def _point_head(campaign, variants, point):
    """What an operating point is and what follows of it for the baseline; kept as long as both are the
    same."""
    stamp = (str(current_app.config["FOLDER"]), point["id"], point["name"],
             variants and (variants[0]["id"], runs.revisions(campaign, variants[0], point)))
    if stamp not in _heads:
        if len(_heads) >= ROWS_KEPT:
            _heads.clear()
        _heads[stamp] = _fresh_head(campaign, variants, point)
    return _heads[stamp]


_heads = {}


def _fresh_head(campaign, variants, point):
    setup = None
    if variants:
        try:
            setup, _ = examine(store.compose_sheet(campaign, variants[0], point))
        except SheetError:
            setup = None
    return {"point": point, "words": FAMILIES[campaign["space"]].portrait.point_words(setup, point["air"])}


def _cell(campaign, variants, variant, point, latest, key):
    run = latest.get((variant["id"], point["id"]))
    base_run = latest.get((variants[0]["id"], point["id"]))
    result, base = (r["result"] if r else None for r in (run, base_run))
    value, error = quantity_of(result, key)
    return {
        "run": run, "point": point, "value": value, "error": error, "difference":
        None if variant["baseline"] else difference_of(result, base, key), "stale": bool(run)
        and run["state"] in runs.ENDED and _is_stale(campaign, variant, point, run)
    }


def _is_stale(campaign, variant, point, run):
    """Whether the inputs have changed since a run was started."""
    now = runs.revisions(campaign, variant, point)
    if run["made_from"] == now:
        return False
    key = str(current_app.config["FOLDER"]), run["id"], now
    if key not in _staleness:
        if len(_staleness) > MOST_KEPT:
            _staleness.clear()
        try:
            _staleness[key] = bool(
                differing_inputs(read_toml(run["sheet"]), store.compose_sheet(campaign, variant, point)))
        except SheetError:
            _staleness[key] = True
    return _staleness[key]


# Whether runs are stale, by their inputs' revisions: comparing sheets takes milliseconds each.
_staleness, MOST_KEPT = {}, 50_000


@pages.post("/campaigns/<int:campaign_id>/run")
def run_cells(campaign_id):
    """Run one cell, or everything that is missing."""
    campaign = campaign_or_404(campaign_id)
    variants, points = store.variants(g.database, campaign_id), store.points(g.database, campaign_id)
    latest = runs.latest_runs(g.database, campaign_id)
    wanted = request.form.get("cell")
    started, problems = [], []
    for variant in variants:
        for point in points:
            run = latest.get((variant["id"], point["id"]))
            if wanted is not None and wanted != f"{variant['id']}-{point['id']}":
                continue
            if wanted is None and run and not (run["state"] in runs.ENDED
                                               and _is_stale(campaign, variant, point, run)):
                continue
            if run and run["state"] in runs.ACTIVE + ("paused", ):
                started.append(run["id"])
                continue
            try:
                started.append(start_run(campaign, variant, point))
            except SheetError as error:
                problems += [(path, f"{variant['name']} at {point['name']}: {message}")
                             for path, message in error.problems]
    if problems:
        raise SheetError(problems)
    if request.headers.get("HX-Request"):
        return _table(campaign)[0]
    if wanted and started:
        return redirect(url_for("runs.show", run_id=started[0]))
    return redirect(url_for(".show", campaign_id=campaign_id))


def start_run(campaign, variant, point):
    """Put a cell in the queue; raises SheetError when its preflight says stop."""
    sheet = store.compose_sheet(campaign, variant, point)
    setup, findings = examine(sheet)
    stops = [(f.path, f.message) for f in findings if f.grade == "stop"]
    if stops or setup is None:
        raise SheetError(stops)
    return runs.add_run(g.database, campaign["id"], variant["id"], point["id"], write_toml(sheet),
                        **runs.expected(g.database, setup),
                        made_from=runs.revisions(campaign, variant, point))
