"""The queue page: what is computed, what waits and in which order, what has ended and how long it took."""
from flask import Blueprint, abort, current_app, g, redirect, render_template, request, url_for

from ..store import queue, runs
from ..worker.loop import is_worker_running
from .runs import run_or_404

pages = Blueprint("queue", __name__)


@pages.get("/queue")
def show():
    """The whole page, or its table alone to refresh itself."""
    waits = queue.waiting(g.database)
    active = queue.under_way(g.database)
    part = request.headers.get("HX-Request")
    return render_template(
        "partials/queue_tables.html" if part else "queue.html", under_way=active, waiting=waits,
        ended=queue.ended(g.database), left=sum(row["estimate"] or 0 for row in waits),
        worker=is_worker_running(current_app.config["FOLDER"]))


@pages.post("/queue/<what>")
def all_of_them(what):
    """Pause all, or let all go on."""
    if what not in ("pause", "resume"):
        abort(404)
    (queue.pause_all if what == "pause" else queue.resume_all)(g.database)
    return redirect(url_for(".show"))


@pages.post("/queue/runs/<int:run_id>/<what>")
def one(run_id, what):
    """Let a run be the next, pause, go on or stop."""
    run = run_or_404(run_id)
    if what == "forward":
        queue.bring_forward(g.database, run["id"])
    elif what in ("pause", "resume", "stop"):
        runs.ask(g.database, run["id"], what)
    else:
        abort(404)
    return redirect(url_for(".show"))
