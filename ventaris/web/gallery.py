"""Views that a campaign keeps, drawn for every one of its runs."""
import json
from urllib.parse import urlencode

from flask import Blueprint, Response, abort, g, jsonify, redirect, render_template, request, url_for

from ..core.look.saved_view import ViewError
from ..core.look.views import view_of
from ..store import campaigns as store, runs, views
from .campaigns import campaign_or_404
from .flow import drawn_of
from .runs import run_or_404
from .turns import takes_long

pages = Blueprint("gallery", __name__)


@pages.get("/campaigns/<int:campaign_id>/gallery")
def show(campaign_id):
    """Every view of the campaign, run by run."""
    campaign = campaign_or_404(campaign_id)
    latest = runs.latest_runs(g.database, campaign_id)
    points = store.points(g.database, campaign_id)
    rows = [(variant["name"], [(point["name"], latest.get((variant["id"], point["id"]))) for point in points])
            for variant in store.variants(g.database, campaign_id)]
    with_field = {run["id"] for run in latest.values() if runs.array_version(g.database, run["id"], "field")}
    kept = [(view, urlencode(view.query())) for view in views.views_of(campaign)]
    return render_template("gallery.html", campaign=campaign, views=kept, rows=rows, with_field=with_field)


@pages.post("/runs/<int:run_id>/views")
def keep(run_id):
    """Keep the view that a flow page shows, for all runs of its campaign."""
    run = run_or_404(run_id)
    campaign = campaign_or_404(run["campaign_id"])
    try:
        view = view_of(json.loads(request.form.get("view", "{}")) | {"name": request.form.get("name", "")})
        if (view.as_dict().get("kind") == "body") != (campaign["space"] == "body"):
            raise ViewError(
                "view: a plane's view is kept with flows in a plane, a body's with those in space.")
        views.keep_view(g.database, campaign, view)
    except (ViewError, ValueError, TypeError) as error:
        return jsonify(problem=str(error)), 400
    return jsonify(gallery=url_for(".show", campaign_id=campaign["id"]))


@pages.get("/runs/<int:run_id>/view.png")
@takes_long
def picture(run_id):
    """One of the campaign's views of this run."""
    run = run_or_404(run_id)
    name, campaign = request.args.get("name", ""), campaign_or_404(run["campaign_id"])
    view = next((v for v in views.views_of(campaign) if v.name == name), None) or abort(
        404, "The campaign keeps no view of this name.")
    png = view.draw(drawn_of(run_id, campaign["space"])) or abort(
        404, "Nothing of this run lies in the view.")
    return Response(png, mimetype="image/png", headers={"Cache-Control": "private, max-age=300"})


@pages.post("/campaigns/<int:campaign_id>/gallery/drop")
def drop(campaign_id):
    """Take a view away."""
    views.drop_view(g.database, campaign_or_404(campaign_id), request.form.get("name", ""))
    return redirect(url_for(".show", campaign_id=campaign_id))
