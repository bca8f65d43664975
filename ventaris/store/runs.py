"""Runs: their states, histories, logs, results and arrays."""
import functools
import json
import math
import time

from ..core.study import checks
from ..core.study.kinds.registry import FAMILIES
from .database import remember, setting, transaction

ACTIVE = ("waiting", "gridding", "running")
ENDED = ("settled", "stopped", "failed")
STALE_AFTER = 12.0
MOST_ATTEMPTS = 3
# Seconds that a run lets others pass for every second that it takes itself, and the share of what is left of
# a run below which another is much shorter.
PATIENCE, SHORTER = 3.0, 0.25

STAMPS = (
    """SELECT campaign_id, 'runs', count(*), max(id), max(finished), 
        total(id * (unicode(state) + 31 * unicode(substr(state, 3, 1)))) FROM run GROUP BY campaign_id""",
    """SELECT campaign_id, 'variants', count(*), total(id * revision), total(id * baseline),
        count(deleted) FROM variant GROUP BY campaign_id""",
    """SELECT campaign_id, 'points', count(*), total(id * revision), count(deleted), max(id)
        FROM operating_point GROUP BY campaign_id"""
)


class StateError(RuntimeError):
    """The run is not in a state in which this can be done."""


def add_run(database, campaign_id, variant_id, point_id, sheet_toml, study=None, estimate=None, made_from="",
            memory_mb=None):
    """Put a run in the queue; returns its id, or that of a run of the same cell and sheet that is under way.

    Parameters
    ----------
    study : float or None
        The factor of a grid study's run or the mark of a search's, which are not the cell's answer.
    estimate : float or None
        Seconds that it will take, about: short runs go first.
    made_from : str
        See `revisions`.
    memory_mb : float or None
        Memory that it will need, about.
    """
    with transaction(database):
        # Pressed twice, asked once.
        same = database.execute(
            """
            SELECT id FROM run WHERE variant_id = ? AND point_id = ? AND sheet = ? AND study IS ?
            AND state IN ('waiting', 'gridding', 'running', 'paused') AND request = ''""",
            (variant_id, point_id, sheet_toml, study)).fetchone()
        if same:
            return same["id"]
        run_id = database.execute(
            "INSERT INTO run (campaign_id, variant_id, point_id, sheet, study, estimate, made_from, "
            "memory_mb, turn) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
            (campaign_id, variant_id, point_id, sheet_toml, study, estimate, made_from, memory_mb,
             turn_of(time.time(), estimate))).lastrowid
        _say(database, run_id, "Waiting for the worker")
    return run_id


def revisions(campaign, variant, point):
    """What a run's inputs were made from: the revisions of its campaign, variant and operating point."""
    return f"{campaign['revision']}-{variant['revision']}-{point['revision']}"


def run(database, run_id):
    """One run as a dict with parsed progress and result, or None; runs of deleted things are not found."""
    row = database.execute(
        """
        SELECT run.*, campaign.name AS campaign_name, variant.name AS variant_name,
            operating_point.name AS point_name
        FROM run JOIN campaign ON campaign.id = run.campaign_id JOIN variant ON variant.id = run.variant_id
        JOIN operating_point ON operating_point.id = run.point_id
        WHERE run.id = ? AND campaign.deleted IS NULL AND variant.deleted IS NULL
            AND operating_point.deleted IS NULL
        """, (run_id, )).fetchone()
    return _parsed(row) if row else None


def latest_runs(database, campaign_id):
    """The newest run of every cell: {(variant_id, point_id): run}."""
    rows = database.execute(
        """
        SELECT * FROM run WHERE campaign_id = ?
        AND id IN (SELECT max(id) FROM run WHERE campaign_id = ?
            AND study IS NULL GROUP BY variant_id, point_id)""",
        (campaign_id, campaign_id))
    return {(row["variant_id"], row["point_id"]): _parsed(row) for row in rows}


def stamps(database):
    """What tells whether anything of a campaign has changed: {campaign_id: numbers}, from its runs, variants
    and operating points."""
    out = {}
    for statement in STAMPS:
        for row in database.execute(statement):
            out[row[0]] = (*out.get(row[0], ()), *tuple(row)[1:])
    return out


def runs_of_cell(database, variant_id, point_id):
    """All runs of a cell, newest first."""
    rows = database.execute(
        "SELECT * FROM run WHERE variant_id = ? AND point_id = ? AND study IS NULL ORDER BY id DESC",
        (variant_id, point_id))
    return [_parsed(row) for row in rows]


def study_runs(database, variant_id, point_id):
    """Runs of the cell's grid study, newest first."""
    rows = database.execute(
        "SELECT * FROM run WHERE variant_id = ? AND point_id = ? AND study > 0 ORDER BY id DESC",
        (variant_id, point_id))
    return [_parsed(row) for row in rows]


def finished_of_variant(database, variant_id):
    """Settled runs of a variant, newest first, as (id, sheet, point_name) rows."""
    return database.execute(
        """
        SELECT run.id, run.sheet, operating_point.name AS point_name
            FROM run JOIN operating_point ON operating_point.id = run.point_id
        WHERE run.variant_id = ? AND run.state = 'settled'
            AND run.study IS NULL ORDER BY run.id DESC LIMIT 60""",
        (variant_id, )).fetchall()


def queue_position(database, run_id):
    """How many runs stand ahead of a waiting one."""
    own = database.execute("SELECT forward, turn, id FROM run WHERE id = ?", (run_id, )).fetchone()
    before = 0
    if own:
        place = -own["forward"], own["turn"], own["id"]
        before = database.execute(_WAITING_BEFORE, place).fetchone()[0]
    return before + database.execute(
        "SELECT count(*) FROM run WHERE state IN ('gridding', 'running')").fetchone()[0]


def history(database, run_id, after=0):
    """History entries after a step."""
    rows = database.execute("SELECT entry FROM history WHERE run_id = ? AND step > ? ORDER BY step",
                            (run_id, after))
    return [json.loads(row["entry"]) for row in rows]


def log(database, run_id):
    """Log lines, oldest first, as (time, line)."""
    return [
        (row["at"][11:19], row["line"])
        for row in database.execute("SELECT at, line FROM log_line WHERE run_id = ? ORDER BY id", (run_id, ))
    ]


def say(database, run_id, line):
    with transaction(database):
        _say(database, run_id, line)


def _say(database, run_id, line):
    # A run may be deleted while the worker is still at it: then there is nothing to say it of.
    database.execute("INSERT INTO log_line (run_id, line) SELECT id, ? FROM run WHERE id = ?", (line, run_id))


# What a person may ask for.


def ask(database, run_id, request):
    """Ask a run to pause or stop, or let it go on.

    Parameters
    ----------
    request : {"pause", "stop", "resume", "further"}

    Raises
    ------
    StateError
    """
    with transaction(database):
        row = database.execute(
            "SELECT state, (SELECT count(*) FROM stored_array WHERE run_id = run.id AND kind = 'checkpoint') "
            "AS kept FROM run WHERE id = ?", (run_id, )).fetchone()
        if row is None:
            raise StateError("This run is gone.")
        state = row["state"]
        if request in ("pause", "stop") and state in ("gridding", "running"):
            database.execute("UPDATE run SET request = ? WHERE id = ?", (request, run_id))
            _say(database, run_id, f"Asked to {request}")
        elif request == "pause" and state == "waiting":
            _set_state(database, run_id, "paused", "Paused before it began")
        elif request == "stop" and state in ("waiting", "paused"):
            _set_state(database, run_id, "stopped", "Stopped")
        elif request == "resume" and state == "paused":
            _set_state(database, run_id, "waiting", "Resumed")
        elif request == "further" and state in ENDED and (row["kept"] or state == "failed"):
            # What has settled stays the answer until there is another.
            database.execute(
                "UPDATE run SET extra_steps = extra_steps + 100, attempts = 0, error = '', "
                "result = CASE state WHEN 'settled' THEN result END WHERE id = ?", (run_id, ))
            database.execute("DELETE FROM stored_array WHERE run_id = ? AND kind = 'picture'", (run_id, ))
            _set_state(database, run_id, "waiting",
                       "Run further: up to 100 steps more per level; what is followed in time, for longer")
        else:
            raise StateError(
                f"A run that is {state} cannot {'be run further' if request == 'further' else request}.")


def _set_state(database, run_id, state, line):
    finished = "strftime('%Y-%m-%dT%H:%M:%fZ', 'now')" if state in ENDED else "NULL"
    database.execute(f"UPDATE run SET state = ?, request = '', finished = {finished} WHERE id = ?",
                     (state, run_id))
    if line:
        _say(database, run_id, line)


# What the worker does.


def claim(database, worker, most_mb=None):
    """Take the next waiting run, or None: short ones before long ones, but none waits for ever.

    Parameters
    ----------
    worker : str
    most_mb : float or None
        Only a run that needs no more memory than this.
    """
    with transaction(database):
        first = next_waiting(database, most_mb)
        if first is None:
            return None
        row = database.execute(
            """
            UPDATE run SET state = 'gridding', worker = ?, heartbeat = ?, attempts = attempts + 1,
                started = coalesce(started, strftime('%Y-%m-%dT%H:%M:%fZ', 'now'))
            WHERE id = ? RETURNING id""", (worker, time.time(), first["id"])).fetchone()
    return run(database, row["id"]) if row else None


# The sheets of thousands of runs that wait are no part of what tells whose turn it is.
_FROM_WAITING = """ FROM run JOIN campaign ON campaign.id = run.campaign_id
    JOIN variant ON variant.id = run.variant_id JOIN operating_point ON operating_point.id = run.point_id
    WHERE run.state = 'waiting' AND campaign.deleted IS NULL AND variant.deleted IS NULL
        AND operating_point.deleted IS NULL """
IN_TURN = "ORDER BY run.forward DESC, run.turn, run.id"
_ALL_WAITING = "SELECT count(*), total(run.estimate)" + _FROM_WAITING
_WAITING_BEFORE = _ALL_WAITING + "AND (-run.forward, run.turn, run.id) < (?, ?, ?)"
_NEXT_WAITING = ("SELECT run.id, run.estimate, run.forward, run.turn, run.memory_mb" + _FROM_WAITING +
                 "AND coalesce(run.memory_mb, 0) <= ? " + IN_TURN + " LIMIT 1")


def next_waiting(database, most_mb=None):
    """The waiting run whose turn it is (`id`, `estimate`, `forward`, `turn`, `memory_mb`), or None."""
    return database.execute(_NEXT_WAITING, (math.inf if most_mb is None else most_mb, )).fetchone()


def all_waiting(database):
    """How many runs wait, and the seconds that they will take one after another."""
    return tuple(database.execute(_ALL_WAITING).fetchone())


def turn_of(made, estimate):
    """When a run's turn is, in seconds: the time it was asked for plus some of what it costs, by powers of
    four so that a series keeps its order. What was brought forward goes before all that."""
    size = 4.0**math.floor(math.log(max(estimate, 1.0), 4)) if estimate else 1.0
    return made + PATIENCE * size


def shorter_waiting(database, run_id, left):
    """Whether a much shorter run waits whose turn is before that of this one, which has `left` seconds to
    go."""
    first = next_waiting(database)
    if first is None or not first["estimate"] or first["estimate"] > SHORTER * left:
        return False
    own = database.execute("SELECT forward, turn FROM run WHERE id = ?", (run_id, )).fetchone()
    return own is not None and (-first["forward"], first["turn"]) < (-own["forward"], own["turn"])


def put_back(database, run_id, line):
    """Let a run that is being executed wait again; it goes on from its checkpoint."""
    with transaction(database):
        database.execute(
            "UPDATE run SET state = 'waiting', worker = '', attempts = max(attempts - 1, 0) WHERE id = ? AND "
            "state IN ('gridding', 'running')", (run_id, ))
        _say(database, run_id, line)


def note_progress(database, run_id):
    """A checkpoint beyond the one this attempt began with: should the worker die now, it was not for
    nothing."""
    with transaction(database):
        database.execute("UPDATE run SET attempts = 0 WHERE id = ?", (run_id, ))


def recover(database):
    """Put all runs that are marked as being executed back into the queue, since nothing executes them;
    returns their ids."""
    with transaction(database):
        found = database.execute("SELECT id FROM run WHERE state IN ('gridding', 'running')").fetchall()
        return [row["id"] for row in found if lost(database, row["id"], "The worker died")]


def lost(database, run_id, why):
    """Put a run whose worker is gone back into the queue, or give it up when that has happened too often;
    returns whether it waits again."""
    with transaction(database):
        row = database.execute(
            "SELECT attempts, result FROM run WHERE id = ? AND state IN ('gridding', 'running')",
            (run_id, )).fetchone()
        if row is None:
            return False
        if row["attempts"] >= MOST_ATTEMPTS:
            if row["result"]:
                _set_state(database, run_id, "settled", f"{why}, again; the earlier answer stands")
                return False
            database.execute(
                "UPDATE run SET error = ? WHERE id = ?",
                (f"The worker died {row['attempts']} times at the same place of this run, perhaps for "
                 "want of memory. Use fewer cells, then run it further.", run_id))
            _set_state(database, run_id, "failed", f"{why}, again without getting further; given up")
            return False
        database.execute("UPDATE run SET state = 'waiting', worker = '' WHERE id = ?", (run_id, ))
        _say(database, run_id, f"{why}; the run goes on from its last checkpoint")
    return True


def requests(database):
    """What persons ask of runs that are executed, {run_id: "pause" or "stop"}."""
    return dict(
        tuple(row) for row in database.execute(
            "SELECT id, request FROM run WHERE state IN ('gridding', 'running') AND request != ''"))


def record(database, run_id, state, entries, progress, line=""):
    """Store new history entries and the progress; returns what a person has asked for meanwhile, "gone" when
    the run was deleted."""
    with transaction(database):
        if not database.execute("SELECT 1 FROM run WHERE id = ?", (run_id, )).fetchone():
            return "gone"
        database.executemany("INSERT OR REPLACE INTO history (run_id, step, entry) VALUES (?, ?, ?)",
                             [(run_id, e["step"], json.dumps(e)) for e in entries])
        database.execute("UPDATE run SET state = ?, progress = ?, heartbeat = ? WHERE id = ?",
                         (state, json.dumps(progress), time.time(), run_id))
        if line:
            _say(database, run_id, line)
        row = database.execute("SELECT request FROM run WHERE id = ?", (run_id, )).fetchone()
    return row["request"]


def forget_history_after(database, run_id, step):
    """Drop history beyond a checkpoint's last step before going on from it."""
    with transaction(database):
        database.execute("DELETE FROM history WHERE run_id = ? AND step > ?", (run_id, step))


def finish(database, run_id, state, result=None, error="", line=""):
    """End (or pause) a run."""
    with transaction(database):
        row = database.execute("SELECT result FROM run WHERE id = ?", (run_id, )).fetchone()
        if row and row["result"] and not result:
            # A settled run that was run further, and came to nothing new.
            if state == "failed":
                state, error, line = "settled", "", f"{line or error} The earlier answer stands."
            database.execute("UPDATE run SET error = ?, worker = '' WHERE id = ?", (error, run_id))
        else:
            database.execute("UPDATE run SET result = ?, error = ?, worker = '' WHERE id = ?",
                             (json.dumps(result) if result else None, error, run_id))
        if state in ("settled", "paused"):
            database.execute("UPDATE run SET attempts = 0 WHERE id = ?", (run_id, ))
        _set_state(database, run_id, state, line)


def keep_array(database, run_id, kind, data):
    """Store a blob; its version grows by one each time."""
    with transaction(database):
        if database.execute("SELECT 1 FROM run WHERE id = ?", (run_id, )).fetchone():
            database.execute(
                """
                INSERT INTO stored_array (run_id, kind, data) VALUES (?, ?, ?)
                ON CONFLICT (run_id, kind) DO UPDATE SET data = excluded.data, version = version + 1""",
                (run_id, kind, data))


def drop_array(database, run_id, kind):
    """Let go of a blob."""
    with transaction(database):
        database.execute("DELETE FROM stored_array WHERE run_id = ? AND kind = ?", (run_id, kind))


def kept_array(database, run_id, kind):
    """A stored blob, or None."""
    row = database.execute("SELECT data FROM stored_array WHERE run_id = ? AND kind = ?",
                           (run_id, kind)).fetchone()
    return row["data"] if row else None


def array_version(database, run_id, kind):
    """Version of a stored blob, 0 when there is none."""
    row = database.execute("SELECT version FROM stored_array WHERE run_id = ? AND kind = ?",
                           (run_id, kind)).fetchone()
    return row["version"] if row else 0


def measured_cost(database, space="section"):
    """Seconds per cell and step measured on this machine's own runs, or None."""
    return setting(database, FAMILIES[space].cost_name)


def expected(database, setup):
    """What a prepared sheet's run will take, about, as `add_run` takes it: seconds by what this machine has
    measured, and megabytes; nothing where nothing can be told."""
    cost = checks.estimate(setup, measured_cost(database, setup.sheet.space))
    return {"estimate": cost.seconds, "memory_mb": cost.memory_mb} if cost else {}


def learn_cost(database, cost, space="section"):
    """Let a finished run improve the cost estimate."""
    known = measured_cost(database, space)
    remember(database, FAMILIES[space].cost_name, cost if known is None else 0.7 * known + 0.3 * cost)


def _parsed(row):
    out = dict(row)
    out["progress"] = json.loads(out["progress"])
    out["result"] = _result(out["result"]) if out["result"] else None
    return out


@functools.lru_cache(maxsize=1500)
def _result(text):
    """A result as a dict that nobody changes: pages read the same ones again and again."""
    return json.loads(text)
