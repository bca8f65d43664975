"""The queue as a person sees it: what runs, what waits and in which order, what has ended lately."""
import json

from . import runs
from .database import transaction

MOST_ENDED, MOST_WAITING, MOST_NEWS = 40, 60, 20

_ROWS = """
    SELECT run.id, run.state, run.request, run.estimate, run.forward, run.progress, run.error, run.study,
        run.created, run.started, run.finished, run.worker, run.memory_mb,
        (julianday(coalesce(run.finished, 'now')) - julianday(run.started)) * 86400 AS seconds,
        campaign.id AS campaign_id, campaign.name AS campaign, variant.name AS variant,
        operating_point.name AS point, json_extract(run.result, '$.seconds') AS computed
    FROM run JOIN campaign ON campaign.id = run.campaign_id JOIN variant ON variant.id = run.variant_id
    JOIN operating_point ON operating_point.id = run.point_id
    WHERE campaign.deleted IS NULL AND variant.deleted IS NULL AND operating_point.deleted IS NULL AND """


def under_way(database):
    """Runs that are computed or paused, as dicts, the first begun first."""
    return _rows(database,
                 "run.state IN ('gridding', 'running', 'paused') ORDER BY run.state = 'paused', run.id")


def waiting(database, most=MOST_WAITING):
    """The first of the runs that wait, as dicts, the next one first."""
    return _rows(database, f"run.state = 'waiting' {runs.IN_TURN} LIMIT ?", most)


def ended(database, most=MOST_ENDED):
    """Runs that have ended, as dicts, the latest first."""
    return _rows(
        database, "run.finished IS NOT NULL AND run.state IN ('settled', 'stopped', 'failed') "
        "ORDER BY run.finished DESC LIMIT ?", most)


def news(database, since):
    """What has changed since a time as the database writes it: (the time now, how many runs are under way,
    the cells' runs that have ended since)."""
    now, active = database.execute(
        "SELECT strftime('%Y-%m-%dT%H:%M:%fZ', 'now'), count(*) FROM run WHERE state IN "
        "('waiting', 'gridding', 'running')").fetchone()
    ended_ = _rows(database, "run.study IS NULL AND run.finished > ? AND run.state IN ('settled', 'stopped', "
                   "'failed') ORDER BY run.finished LIMIT ?", since, MOST_NEWS) if since else []
    return now, active, ended_


def bring_forward(database, run_id):
    """Let a waiting run be the next; raises StateError."""
    with transaction(database):
        row = database.execute("SELECT state FROM run WHERE id = ?", (run_id, )).fetchone()
        if row is None or row["state"] != "waiting":
            raise runs.StateError("Only a run that waits can be brought forward.")
        database.execute(
            "UPDATE run SET forward = 1 + (SELECT max(forward) FROM run WHERE state = 'waiting') "
            "WHERE id = ?", (run_id, ))


def pause_all(database):
    """Ask all that runs or waits to pause; returns how many."""
    # What waits first: else it would begin as soon as what runs has paused.
    return sum(_ask_each(database, "pause", state) for state in ("waiting", "gridding", "running"))


def resume_all(database):
    """Let all that is paused go on; returns how many."""
    return _ask_each(database, "resume", "paused")


def _ask_each(database, request, state):
    found, done = database.execute("SELECT id FROM run WHERE state = ? ORDER BY id", (state, )).fetchall(), 0
    for row in found:
        try:
            runs.ask(database, row["id"], request)
            done += 1
        except runs.StateError:
            # It has moved on meanwhile.
            continue
    return done


def _rows(database, which, *values):
    return [{**dict(row), "progress": json.loads(row["progress"] or "{}")}
            for row in database.execute(_ROWS + which, values)]
