"""What a campaign is after: the page on which it is said, and how its variants stand by it."""
from flask import Blueprint, abort, g, redirect, render_template, request, url_for

from ..core import units
from ..core.study.aim import MOST_CONDITIONS, SENSES, Aim, AimError, Condition, default_aim, tell
from ..core.study.comparison import offered_quantities
from ..core.study.kinds.registry import FAMILIES
from ..core.units import UnitError
from ..store import campaigns as store, runs

pages = Blueprint("aims", __name__)


def standing_of(campaign, variants, points, latest):
    """`Told` of a campaign; None where nothing has settled yet and no aim is set."""
    names, places = ({row["id"]: row["name"] for row in rows} for rows in (variants, points))
    return tell(store.aim_of(campaign), campaign["space"], names, places, settled_of(latest))


def settled_of(latest):
    """{(variant, point): result} of the newest runs of every cell that have settled."""
    return {c: run["result"] for c, run in latest.items() if run["state"] == "settled" and run["result"]}


def known_names(campaign, latest):
    """Names that an aim of this campaign can use: its quantities, and the channels of what has been run."""
    results = [run["result"] for run in latest.values() if run["result"]]
    names = list(offered_quantities(campaign["space"], results))
    for result in results:
        names += [n for n in result["trends"] if n not in names]
    return list(dict.fromkeys([*names, *FAMILIES[campaign["space"]].quantities.words]))


@pages.route("/campaigns/<int:campaign_id>/aim", methods=["GET", "POST"])
def edit(campaign_id):
    campaign = store.campaign(g.database, campaign_id) or abort(404)
    variants, points = store.variants(g.database, campaign_id), store.points(g.database, campaign_id)
    latest = runs.latest_runs(g.database, campaign_id)
    names, problems, form, status = known_names(campaign, latest), (), None, 200
    if request.method == "POST":
        try:
            aim = None if request.form.get("what") == "clear" else _read(request.form, variants, points)
            if aim:
                aim.check(names)
            store.save_aim(g.database, campaign_id, aim)
            return redirect(url_for("matrix.show", campaign_id=campaign_id))
        except (AimError, UnitError) as error:
            problems, form, status = [str(error)], request.form, 400
    own = store.aim_of(campaign)
    aim = own or default_aim(campaign["space"], settled_of(latest))
    values = form or _written(aim)
    return render_template(
        "aim.html", campaign=campaign, variants=variants, points=points, names=names, own=own, values=values,
        by_cell=any(text for name, text in values.items()
                    if name.startswith("reference.") and name != "reference.all.all"), senses=SENSES,
        conditions=range(MOST_CONDITIONS), problems=problems), status


def _written(aim):
    """Fields of the form as an aim fills them."""
    values = {"quantity": aim.quantity, "sense": aim.sense}
    for k, condition in enumerate(aim.conditions):
        values |= {
            f"condition.{k}.expression": condition.expression, f"condition.{k}.kind": condition.kind,
            f"condition.{k}.bound": f"{condition.bound:g}", f"condition.{k}.point": str(condition.point or "")
        }
    values |= {f"weight.{point}": f"{weight:g}" for point, weight in aim.weights.items()}
    for (variant, point), (value, error) in aim.references.items():
        name = f"reference.{variant or 'all'}.{point or 'all'}"
        values[name] = f"{value:g}" + ("" if error is None else f" ± {error:g}")
    return values


def _number(text, what):
    if not text.strip():
        raise AimError(f"{what}: it is missing. Write a number, for example 0.4.")
    try:
        return units.parse(text, "")
    except UnitError as error:
        raise AimError(f"{what}: {error}") from None


def _read(form, variants, points):
    """The `Aim` of a filled form; raises AimError naming the field."""
    conditions = []
    for k in range(MOST_CONDITIONS):
        expression = form.get(f"condition.{k}.expression", "").strip()
        if expression:
            kind, where = form.get(f"condition.{k}.kind"), form.get(f"condition.{k}.point", "")
            conditions.append(
                Condition(expression, kind if kind in ("at least", "at most") else "at least",
                          _number(form.get(f"condition.{k}.bound", ""), f"bound of “{expression}”"),
                          int(where) if where in {str(p["id"])
                                                  for p in points} else None))
    weights = {
        p["id"]: _number(text, f"weight of {p['name']}")
        for p in points if (text := form.get(f"weight.{p['id']}", "").strip())
    }
    references = {}
    for variant in [None, *(v["id"] for v in variants)]:
        for point in [None, *(p["id"] for p in points)]:
            text = form.get(f"reference.{variant or 'all'}.{point or 'all'}", "").strip()
            if text:
                value, _, error = text.replace("+-", "±").replace("+/-", "±").partition("±")
                references[variant, point] = (_number(value, "reference"),
                                              _number(error, "its uncertainty") if error.strip() else None)
    quantity = form.get("quantity", "").strip()
    if not quantity:
        raise AimError("quantity: say what it is about: a channel or a formula over channels, for example "
                       "lift / drag.")
    return Aim(quantity, form.get("sense", ""), tuple(conditions), weights, references)
