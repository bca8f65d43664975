"""The search screen: parameters, bounds, objective and constraints; progress, scatter pictures, the best
shapes."""
from flask import Blueprint, abort, g, jsonify, redirect, render_template, request, url_for

from ..core import units
from ..core.sheet import SheetError
from ..core.study.checks import examine
from ..core.study.kinds.registry import kind_of
from ..core.study.search import Constraint, Parameter, Plan, SearchError, best, shape_numbers, with_values
from ..core.units import UnitError
from ..store import campaigns as store, searches
from . import campaigns
from .kinds.registry import SHOWN

pages = Blueprint("searches", __name__)
MOST_CONSTRAINTS = 3


def search_or_404(search_id):
    return searches.search(g.database, search_id) or abort(404)


@pages.get("/campaigns/<int:campaign_id>/searches")
def index(campaign_id):
    campaign = campaigns.campaign_or_404(campaign_id)
    listed = []
    for found in searches.searches_of(g.database, campaign_id):
        points = searches.points_of(g.database, found["id"])
        outcomes = searches.outcomes_of(found, points)
        listed.append({"search": found, "done": len(outcomes), "best": best(found["plan"], outcomes)})
    return render_template("searches.html", campaign=campaign, listed=listed)


def _cell(campaign_id):
    """(variant, operating point) of the query; the first ones by default, None where there are none."""
    variants, points = store.variants(g.database, campaign_id), store.points(g.database, campaign_id)
    wanted = request.values.get("variant", type=int), request.values.get("point", type=int)
    variant = next((v for v in variants if v["id"] == wanted[0]), variants[0] if variants else None)
    point = next((p for p in points if p["id"] == wanted[1]), points[0] if points else None)
    return variants, points, variant, point


@pages.route("/campaigns/<int:campaign_id>/searches/new", methods=["GET", "POST"])
def new(campaign_id):
    campaign = campaigns.campaign_or_404(campaign_id)
    variants, points, variant, point = _cell(campaign_id)
    if variant is None or point is None:
        return render_template("search_new.html", campaign=campaign, variant=None, point=None, problems=(),
                               form={}), 200
    sheet = store.compose_sheet(campaign, variant, point)
    numbers, problems, status = shape_numbers(sheet.shape), (), 200
    setup, _ = examine(sheet)
    names = _channels(campaign, setup) if setup else []
    form = request.form or _by_the_aim(store.aim_of(campaign), point)
    if request.method == "POST":
        try:
            plan = _read_plan(request.form, numbers, names)
            if "level" in request.form:
                sheet = sheet.model_copy(
                    update={
                        "grid": sheet.grid.model_copy(
                            update={
                                "level": request.form["level"] if request.form["level"] in (
                                    "coarse", "medium", "fine") else "medium"
                            })
                    })
            if setup is None:
                raise SearchError(
                    "The variant itself cannot be run yet: open its sheet and mend what its preflight names.")
            return redirect(
                url_for(".show", search_id=searches.add_search(g.database, campaign, variant, point, plan,
                                                               sheet)))
        except (SearchError, UnitError, SheetError) as error:
            problems, status = [str(error)], 400
    return render_template("search_new.html", campaign=campaign, variants=variants, points=points,
                           variant=variant, point=point, numbers=numbers, channels=names, problems=problems,
                           form=form, usual=SHOWN[campaign["space"]].aim,
                           constraints=range(MOST_CONSTRAINTS), units=units), status


def _by_the_aim(aim, point):
    """Fields of the form as the campaign's aim fills them; nothing where a search cannot ask for it."""
    if aim is None or aim.sense == "nearest":
        return {}
    held = [c for c in aim.conditions if c.point in (None, point["id"])][:MOST_CONSTRAINTS]
    return {"objective": aim.quantity, "sense": aim.sense} | {
        f"constraint.{k}.{name}": value
        for k, c in enumerate(held)
        for name, value in (("expression", c.expression), ("kind", c.kind), ("bound", f"{c.bound:g}"))
    }


def _channels(campaign, setup):
    """Channels that a run of this sheet has at its end."""
    names = kind_of(setup.sheet).channels(setup) + [f.name for f in setup.sheet.instruments.formulas]
    more = SHOWN[campaign["space"]].searched
    return [n for n in names if n not in ("step", "residual", "courant")] + list(more)


def _read_plan(form, numbers, names):
    parameters = []
    for path, label, unit, value, _, _ in numbers:
        if f"use.{path}" in form:
            low, high = (units.parse(form.get(f"{end}.{path}", ""), unit) for end in ("low", "high"))
            parameters.append(Parameter(path, label, unit, low, high))
    constraints = []
    for k in range(MOST_CONSTRAINTS):
        expression = form.get(f"constraint.{k}.expression", "").strip()
        if expression:
            kind = form.get(f"constraint.{k}.kind", "at least")
            constraints.append(
                Constraint(expression, kind if kind in ("at least", "at most") else "at least",
                           units.parse(form.get(f"constraint.{k}.bound", ""), "")))
    try:
        first, most = int(form.get("first", "")), int(form.get("most", ""))
    except ValueError:
        raise SearchError("runs: write whole numbers, for example 8 for the plan and 20 in all.") from None
    plan = Plan(parameters,
                form.get("objective", "").strip(),
                "smallest" if form.get("sense") == "smallest" else "largest", constraints, first, most)
    plan.check(names)
    return plan


def _table(found):
    points = searches.points_of(g.database, found["id"])
    rows, outcomes = [], []
    for point in points:
        done = searches.outcomes_of(found, [point])
        outcomes += done
        rows.append({**point, "outcome": done[0] if done else None})
    return rows, outcomes


@pages.get("/searches/<int:search_id>")
def show(search_id):
    found = search_or_404(search_id)
    rows, outcomes = _table(found)
    leader = best(found["plan"], outcomes)
    return render_template(
        "search.html", campaign=campaigns.campaign_or_404(found["campaign_id"]), search=found, rows=rows,
        leader=leader, done=len(outcomes), leading=next(
            (r["number"] for r in rows if r["outcome"] is leader and leader), None))


@pages.get("/searches/<int:search_id>.json")
def data(search_id):
    """Every finished point, for the scatter pictures."""
    found = search_or_404(search_id)
    rows, outcomes = _table(found)
    leader = best(found["plan"], outcomes)
    done = [r for r in rows if r["outcome"] and r["outcome"].objective is not None]
    return jsonify(
        parameters=[{
            "label": p.label, "unit": units.PRETTY.get(p.unit, p.unit), "low": p.low, "high": p.high
        } for p in found["plan"].parameters], objective=found["plan"].objective, sense=found["plan"].sense,
        points=[{
            "number": r["number"] + 1, "values": r["values"], "objective": r["outcome"].objective,
            "feasible": r["outcome"].feasible, "proposed": r["proposed"], "best": r["outcome"] is leader
        } for r in done], state=found["state"])


@pages.post("/searches/<int:search_id>/ask")
def ask(search_id):
    """Pause, resume, or delete a search; or make its best shape a variant."""
    found = search_or_404(search_id)
    what = request.form.get("what", "")
    if what in ("pause", "resume"):
        searches.set_state(g.database, search_id, "paused" if what == "pause" else "active")
    elif what == "delete":
        searches.delete_search(g.database, search_id)
        return redirect(url_for(".index", campaign_id=found["campaign_id"]))
    elif what == "variant":
        return redirect(url_for("sheets.show", variant_id=_as_variant(found), point_id=found["point_id"]))
    else:
        abort(400, f"“{what[:20]}” is not something a search can be asked.")
    return redirect(url_for(".show", search_id=search_id))


def _as_variant(found):
    _, outcomes = _table(found)
    leader = best(found["plan"], outcomes)
    if leader is None:
        raise SheetError([("search", "No run of this search holds its constraints yet.")])
    variant = store.variant(g.database, found["variant_id"])
    shape = with_values(variant["shape"], found["plan"].parameters, leader.values)
    return store.add_variant(g.database, found["campaign_id"],
                             f"{variant['name']}, search {found['id']}"[:80], shape)
