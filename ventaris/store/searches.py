"""Searches over a shape's parameters: their plan, their points, and the runs that answer them."""
import json
from dataclasses import asdict
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from ..core.sheet import SheetError, read_section, read_sheet, read_toml, write_toml
from ..core.study.checks import examine
from ..core.study.channels import names_in
from ..core.study.kinds.registry import FAMILIES
from ..core.study.result import check_result
from ..core.study.search import (MOST_PARAMETERS, MOST_RUNS, Constraint, Parameter, Plan, SearchError, best,
                                 evaluator, first_plan, is_worthwhile, outcome, propose, shape_numbers,
                                 with_values)
from . import runs
from .database import transaction

# Runs of a search are no answers of a cell and no grid study: their `study` is negative.
MARK = -1.0
NAMED = """SELECT search.*, variant.name AS variant_name, operating_point.name AS point_name FROM search
    JOIN variant ON variant.id = search.variant_id
    JOIN operating_point ON operating_point.id = search.point_id """


def add_search(database, campaign, variant, point, plan, sheet):
    """Begin a search from a cell's sheet; returns its id."""
    with transaction(database):
        search_id = database.execute(
            "INSERT INTO search (campaign_id, variant_id, point_id, plan, sheet) VALUES (?, ?, ?, ?, ?)",
            (campaign["id"], variant["id"], point["id"], json.dumps(
                asdict(plan)), write_toml(sheet))).lastrowid
        for number, values in enumerate(first_plan(plan)):
            database.execute("INSERT INTO search_point (search_id, number, point) VALUES (?, ?, ?)",
                             (search_id, number, json.dumps([float(v) for v in values])))
    return search_id


def _plan(plan):
    plan = dict(plan)
    plan["parameters"] = [Parameter(**p) for p in plan["parameters"]]
    plan["constraints"] = [Constraint(**c) for c in plan["constraints"]]
    return Plan(**plan)


def _parsed(row):
    return {**dict(row), "plan": _plan(json.loads(row["plan"]))}


def search(database, search_id):
    """One search with its `Plan`, or None."""
    row = database.execute(
        NAMED +
        """JOIN campaign ON campaign.id = search.campaign_id WHERE search.id = ? AND campaign.deleted IS NULL
        AND variant.deleted IS NULL AND operating_point.deleted IS NULL""", (search_id, )).fetchone()
    return _parsed(row) if row else None


def searches_of(database, campaign_id):
    """All searches of a campaign, newest first."""
    rows = database.execute(
        NAMED +
        "WHERE search.campaign_id = ? AND variant.deleted IS NULL AND operating_point.deleted IS NULL ORDER "
        "BY search.id DESC", (campaign_id, ))
    return [_parsed(row) for row in rows]


def points_of(database, search_id):
    """Every point: its number, values, whether it was proposed, its run (or None) and its problem."""
    rows = database.execute("SELECT * FROM search_point WHERE search_id = ? ORDER BY number",
                            (search_id, )).fetchall()
    out = []
    for row in rows:
        run = runs.run(database, row["run_id"]) if row["run_id"] else None
        # A run that is gone is not asked for again: the search would never end.
        lost = "its run was deleted" if row["run_id"] and run is None else ""
        out.append({
            "number": row["number"], "values": json.loads(row["point"]), "proposed": bool(row["proposed"]),
            "run": run, "problem": row["problem"] or lost
        })
    return out


def outcomes_of(found, points):
    """Outcomes of the points that are done; those whose run failed or whose shape cannot be made count as
    failed."""
    out = []
    for point in points:
        run = point["run"]
        if point["problem"] or run and run["state"] == "failed":
            out.append(outcome(found["plan"], point["values"], None))
        elif run and run["state"] in runs.ENDED and run["result"]:
            out.append(outcome(found["plan"], point["values"], run["result"]["coefficients"]))
    return out


def set_state(database, search_id, state, words=""):
    with transaction(database):
        database.execute("UPDATE search SET state = ?, words = ? WHERE id = ?", (state, words, search_id))


def delete_search(database, search_id):
    """Remove a search and its runs."""
    with transaction(database):
        for row in database.execute(
                "SELECT run_id FROM search_point WHERE search_id = ? AND run_id IS NOT NULL",
            (search_id, )).fetchall():
            database.execute("DELETE FROM run WHERE id = ? AND state NOT IN ('gridding', 'running')",
                             (row["run_id"], ))
            database.execute("UPDATE run SET request = 'stop' WHERE id = ?", (row["run_id"], ))
        database.execute("DELETE FROM search WHERE id = ?", (search_id, ))


def advance(database, at_once=1):
    """Queue the next run of the oldest active search that has fewer than `at_once` of them under way; returns
    whether something was done."""
    for row in database.execute("SELECT id FROM search WHERE state = 'active' ORDER BY id").fetchall():
        found = search(database, row["id"])
        if found is None:
            continue
        points = points_of(database, row["id"])
        going = [p for p in points if p["run"] and p["run"]["state"] in runs.ACTIVE]
        if len(going) >= at_once or any(p["run"] and p["run"]["state"] == "paused" for p in points):
            continue
        try:
            if not _next(database, found, points, [p["values"] for p in going]):
                continue
        except (SearchError, SheetError, ValueError, ArithmeticError) as error:
            # A search that cannot go on must not keep the others from it.
            set_state(database, found["id"], "paused", f"Stopped: {str(error)[:300]}")
        return True
    return False


def _next(database, found, points, going):
    """Queue the next planned point, or propose one, or end the search; whether something was done, which it
    is not where the points that are `going` must be waited for."""
    plan = found["plan"]
    open_ = next((p for p in points if p["run"] is None and not p["problem"]), None)
    if open_ is None:
        outcomes = outcomes_of(found, points)
        if going and (len(points) >= plan.most or not outcomes):
            return False
        if len(points) >= plan.most:
            set_state(database, found["id"], "done",
                      _closing(plan, outcomes, f"All {len(points)} runs are done."))
            return True
        values, expected = propose(plan, outcomes, going)
        if not is_worthwhile(outcomes, expected):
            if going:
                return False
            set_state(
                database, found["id"], "done",
                _closing(
                    plan, outcomes,
                    f"Ended after {len(points)} runs: a further one promises less than a thousandth of what "
                    "was found to vary."))
            return True
        open_ = {"number": len(points), "values": [float(v) for v in values]}
        with transaction(database):
            database.execute(
                "INSERT INTO search_point (search_id, number, point, proposed) VALUES (?, ?, ?, 1)",
                (found["id"], open_["number"], json.dumps(open_["values"])))
    _queue(database, found, open_)
    return True


def _closing(plan, outcomes, words):
    if best(plan, outcomes) is None:
        return (
            words +
            " No run holds every constraint: widen the bounds or ease a constraint; the table shows by how "
            "much each was missed.")
    return words


def _queue(database, found, point):
    """Put a point's run in the queue, or note why its shape cannot be run."""
    sheet = read_toml(found["sheet"])
    try:
        shape = read_section("shape",
                             with_values(sheet.shape.model_dump(), found["plan"].parameters, point["values"]),
                             sheet.space)
        varied = read_sheet({
            **sheet.model_dump(), "shape": shape.model_dump(),
            "title": f"Search {found['id']}, run {point['number'] + 1}"
        })
        setup, findings = examine(varied)
        stops = [f.message for f in findings if f.grade == "stop"]
        problem = stops[0] if stops else "" if setup is not None else "this shape cannot be made"
    except ValueError as error:
        problem = str(error)
    if problem:
        with transaction(database):
            database.execute("UPDATE search_point SET problem = ? WHERE search_id = ? AND number = ?",
                             (problem, found["id"], point["number"]))
        return
    run_id = runs.add_run(database, found["campaign_id"], found["variant_id"], found["point_id"],
                          write_toml(varied), study=MARK, **runs.expected(database, setup))
    with transaction(database):
        database.execute("UPDATE search_point SET run_id = ? WHERE search_id = ? AND number = ?",
                         (run_id, found["id"], point["number"]))


def packed(database, found, variant_ids, point_ids):
    """A search with the results of its runs as plain values, for an archive; None where its cell is gone."""
    if found["variant_id"] not in variant_ids or found["point_id"] not in point_ids:
        return None
    points = []
    for p in points_of(database, found["id"]):
        run = p["run"] if p["run"] and p["run"]["state"] in runs.ENDED else None
        points.append({
            "values": p["values"], "proposed": p["proposed"], "problem": p["problem"],
            "run": {k: run[k]
                    for k in ("sheet", "state", "error", "result", "created")} if run else None
        })
    return {
        "variant": variant_ids.index(found["variant_id"]), "point": point_ids.index(found["point_id"]),
        "plan": asdict(found["plan"]), "sheet": found["sheet"],
        "state": "done" if found["state"] == "done" else "paused", "words": found["words"], "points": points
    }


class ArchivePart(BaseModel):
    """A part of an archive as it is written: nothing more, and nothing of another type."""

    model_config = ConfigDict(strict=True, extra="forbid")


class _ParameterPart(ArchivePart):
    path: str = Field(max_length=200)
    label: str = Field(max_length=200)
    unit: str = Field(max_length=40)
    low: float
    high: float


class _ConstraintPart(ArchivePart):
    expression: str = Field(max_length=400)
    kind: Literal["at least", "at most"]
    bound: float


class _PlanPart(ArchivePart):
    parameters: list[_ParameterPart] = Field(min_length=1, max_length=MOST_PARAMETERS)
    objective: str = Field(max_length=400)
    sense: Literal["smallest", "largest"]
    constraints: list[_ConstraintPart] = Field(max_length=20)
    first: int = Field(ge=2, le=MOST_RUNS)
    most: int = Field(ge=2, le=MOST_RUNS)


class _RunPart(ArchivePart):
    sheet: str
    state: Literal[runs.ENDED]
    error: str = Field(max_length=4000)
    result: dict | None
    created: str = Field(max_length=40)


class _PointPart(ArchivePart):
    values: list[float]
    proposed: bool
    problem: str = Field(max_length=4000)
    run: _RunPart | None


class _SearchPart(ArchivePart):
    """What `packed` makes."""

    variant: int = Field(ge=0)
    point: int = Field(ge=0)
    plan: _PlanPart
    sheet: str
    state: Literal["done", "paused"]
    words: str = Field(max_length=4000)
    points: list[_PointPart] = Field(max_length=MOST_RUNS)


def checked(found, variants, points, space):
    """What `packed` made, looked over against its declaration; raises ValueError (pydantic's too) or
    SheetError where it is not that."""
    part = _SearchPart.model_validate(found)
    plan, sheet = part.plan, read_toml(part.sheet)
    if part.variant >= variants or part.point >= points or sheet.space != space:
        raise ValueError("a search belongs to a cell that the archive does not have")
    offered = {path for path, *_ in shape_numbers(sheet.shape)}
    if any(p.path not in offered or not p.low < p.high for p in plan.parameters) or plan.first > plan.most:
        raise ValueError("a search varies numbers that its shape does not have")
    for one in (plan.objective, *(c.expression for c in plan.constraints)):
        evaluator(one, names_in(one))
    for p in part.points:
        if len(p.values) != len(plan.parameters):
            raise ValueError("a search has a point without all of its values")
        if p.run:
            if read_toml(p.run.sheet).space != space:
                raise ValueError("a search holds a run of another kind")
            if p.run.result is not None:
                check_result(p.run.result, FAMILIES[space].result)
    return found


def unpack(database, campaign_id, found, variant_ids, point_ids):
    """Store what `packed` made."""
    cell = campaign_id, variant_ids[found["variant"]], point_ids[found["point"]]
    with transaction(database):
        search_id = database.execute(
            "INSERT INTO search (campaign_id, variant_id, point_id, plan, sheet, state, words) VALUES (?, ?, "
            "?, ?, ?, ?, ?)",
            (*cell, json.dumps(found["plan"]), found["sheet"], found["state"], found["words"])).lastrowid
        for number, p in enumerate(found["points"]):
            run_id, run = None, p["run"]
            if run:
                run_id = database.execute(
                    "INSERT INTO run (campaign_id, variant_id, point_id, sheet, state, error, result, "
                    "created, finished, study) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                    (*cell, run["sheet"], run["state"], run["error"],
                     json.dumps(run["result"]) if run["result"] else None, run["created"], run["created"],
                     MARK)).lastrowid
            database.execute(
                "INSERT INTO search_point (search_id, number, point, proposed, run_id, problem) VALUES (?, "
                "?, ?, ?, ?, ?)",
                (search_id, number, json.dumps(p["values"]), int(p["proposed"]), run_id, p["problem"]))
    return search_id
