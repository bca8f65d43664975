"""The queue page: what is computed, what waits and in which order, what has ended and how long it took."""
from flask import Blueprint, abort, current_app, g, jsonify, redirect, render_template, request, url_for

from ..store import place, queue, runs
from ..worker.loop import is_worker_running
from .presentation import STATE_WORDS
from .runs import run_or_404

pages = Blueprint("queue", __name__)


@pages.get("/queue")
def show():
    """The whole page, or its table alone to refresh itself."""
    if request.headers.get("HX-Request"):
        return render_template("partials/queue_tables.html", **_tables())
    return _page(place.place(g.database))


@pages.get("/queue/news")
def news():
    """Which runs have ended since a page last asked, for it to say so."""
    now, active, ended = queue.news(g.database, request.args.get("since", "")[:40])
    return jsonify(now=now, active=active, ended=[{
        "run": row["id"], "campaign": row["campaign"], "home": f"/campaigns/{row['campaign_id']}",
        "state": STATE_WORDS[row["state"]],
        "cell": f"{row['variant']} at {row['point']}"
    } for row in ended])


def _tables():
    waiting, left = runs.all_waiting(g.database)
    chosen = place.place(g.database)
    return {
        "under_way": queue.under_way(g.database), "waits": queue.waiting(g.database), "waiting": waiting,
        "left": left, "ended": queue.ended(g.database),
        "worker": is_worker_running(current_app.config["FOLDER"]), "place": chosen,
        "crew": place.crew(g.database) if chosen.way != "one" else None
    }


def _page(shown, problems=(), typed=None):
    return render_template("queue.html", **_tables(), chosen=shown, typed=typed, problems=problems,
                           cores=place.cores())


@pages.post("/queue/place")
def choose_place():
    """Say where runs are computed from now on."""
    given = {name: request.form.get(name, "") for name in ("way", "processes", "scheduler")}
    try:
        place.choose_place(g.database, place.read_place(**given))
    except place.PlaceError as error:
        return _page(place.place(g.database), [str(error)], given), 422
    return redirect(url_for(".show"))


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
