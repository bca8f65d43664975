"""Reports: the author's words, and the report of a campaign or a run as HTML and PDF."""
from flask import Blueprint, abort, current_app, g, redirect, render_template, request, url_for

from ..core.report import write
from ..core.report.campaign import campaign_report, run_report
from ..core.report.material import AUTHOR, LONGEST_WORDS
from ..core.sheet import SheetError
from ..store import campaigns as store, reports, runs
from .campaigns import campaign_or_404, plain_name

pages = Blueprint("reports", __name__)
# A report holds its style and pictures in itself, and no script at all.
POLICY = "default-src 'none'; style-src 'unsafe-inline'; img-src data:"


@pages.route("/campaigns/<int:campaign_id>/report", methods=["GET", "POST"])
def show(campaign_id):
    """The page on which the author's words are written and the report is asked for."""
    campaign, problems, status = campaign_or_404(campaign_id), (), 200
    words = reports.words_of(campaign)
    if request.method == "POST":
        words = {key: request.form.get(key, "") for key in AUTHOR}
        try:
            reports.save_words(g.database, campaign_id, words)
            wanted = request.form.get("form", "")
            if wanted in WRITERS:
                return redirect(url_for(".of_campaign", campaign_id=campaign_id, form=wanted))
            return redirect(url_for(".show", campaign_id=campaign_id, saved=1))
        except SheetError as error:
            problems, status = [message for _, message in error.problems], 400
    latest = runs.latest_runs(g.database, campaign_id)
    names = {row["id"]: row["name"] for row in store.variants(g.database, campaign_id)}
    places = {row["id"]: row["name"] for row in store.points(g.database, campaign_id)}
    listed = [(run["id"], f"{names[v]} at {places[p]}") for (v, p), run in latest.items()
              if v in names and p in places and run["state"] in runs.ENDED]
    return render_template("report.html", campaign=campaign, words=words, labels=AUTHOR, problems=problems,
                           saved="saved" in request.args, most=LONGEST_WORDS, listed=listed), status


@pages.get("/campaigns/<int:campaign_id>/report.<form>")
def of_campaign(campaign_id, form):
    """The whole campaign's."""
    campaign_or_404(campaign_id)
    return _answer(campaign_report(reports.material_of(g.database, campaign_id)), form)


@pages.get("/runs/<int:run_id>/report.<form>")
def of_run(run_id, form):
    """One run's, an older one of its cell too."""
    run = runs.run(g.database, run_id) or abort(404)
    material = reports.material_of(g.database, run["campaign_id"])
    return _answer(run_report(material, reports.cell_of(g.database, run)), form)


def _answer(document, form):
    if form not in WRITERS:
        abort(404, f"There is no report as {form[:8]}: it comes as html or pdf.")
    kind, how = WRITERS[form]
    response = current_app.response_class(write(document, form), mimetype=kind)
    response.headers["Content-Disposition"] = f'{how}; filename="{plain_name(document.title)}.{form}"'
    response.headers["Content-Security-Policy"] = POLICY
    return response


# How a browser takes each form: its type, and whether it is shown or kept.
WRITERS = {"html": ("text/html", "inline"), "pdf": ("application/pdf", "attachment")}
