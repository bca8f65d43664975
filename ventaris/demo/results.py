"""Compute the demo campaigns with this program and store the archives that ship with it."""
import tempfile

import numpy as np

from ..core.sheet import default_setup, read_toml, write_toml
from ..core.study.aim import Aim, Condition
from ..store import archive, campaigns, runs, searches
from ..store.database import open_database
from ..store.drawn import drawn_field, small_picture
from ..store.fields import unpack_taps
from ..store.measured import add_measured
from ..worker.loop import work
from .aims import AIMS
from .loader import RESULTS
from .scenario import CAMPAIGNS


def add_campaign(database, scenario, aim=None):
    """Add a campaign of the scenario with its variants and points; returns its id."""
    space = scenario.get("space", "section")
    setup = {
        name: {**values, **scenario["setup"].get(name, {})}
        for name, values in default_setup(space).items()
    }
    campaign_id = campaigns.add_campaign(database, scenario["name"], scenario["question"], setup, space)
    for name, shape in scenario["variants"]:
        campaigns.add_variant(database, campaign_id, name, shape)
    points = {name: campaigns.add_point(database, campaign_id, name, air) for name, air in scenario["points"]}
    if aim:
        campaigns.save_aim(database, campaign_id, aim_of(aim, points))
    return campaign_id


def aim_of(aim, points):
    """The `Aim` of a scenario: what is wanted of which quantity, weights and conditions by the names of
    points.

    Parameters
    ----------
    aim : tuple of (sense, quantity, weights, conditions)
    points : dict of str to int
    """
    sense, quantity, weights, conditions = aim
    return Aim(
        quantity, sense,
        tuple(Condition(what, kind, bound, points.get(where)) for what, kind, bound, where in conditions),
        {points[name]: weight
         for name, weight in weights.items()})


def recompute(echo=lambda line: None, only=None):
    """Run every cell of the campaigns (or of those named by key) and write the archives."""
    RESULTS.mkdir(exist_ok=True)
    for key, scenario in CAMPAIGNS.items():
        if only and key not in only:
            continue
        with tempfile.TemporaryDirectory() as folder:
            database = open_database(folder)
            campaign_id = add_campaign(database, scenario, AIMS.get(key))
            campaign = campaigns.campaign(database, campaign_id)
            for variant in campaigns.variants(database, campaign_id):
                for point in campaigns.points(database, campaign_id):
                    runs.add_run(database, campaign_id, variant["id"], point["id"],
                                 write_toml(campaigns.compose_sheet(campaign, variant, point)))
            for variant_name, plan in scenario.get("searches", ()):
                variant, point = next(v for v in campaigns.variants(database, campaign_id)
                                      if v["name"] == variant_name), campaigns.points(database,
                                                                                      campaign_id)[0]
                sheet = campaigns.compose_sheet(campaign, variant, point)
                searches.add_search(
                    database, campaign, variant, point, plan,
                    sheet.model_copy(update={"grid": sheet.grid.model_copy(update={"level": "medium"})}))
            work(folder, until_idle=True)
            latest = runs.latest_runs(database, campaign_id)
            for run in latest.values():
                echo(f"{key}: run {run['id']} {run['state']} {run['error']}")
            for run in latest.values():
                _thumbnail(database, run)
            if key == "1-drone":
                _made_up_tunnel(database, campaign_id, latest)
            (RESULTS / f"{key}.zip").write_bytes(archive.export_campaign(database, campaign_id))
            database.close()


def _thumbnail(database, run):
    """Draw the small picture now, so that the first page shows it at once."""
    drawn = drawn_field(read_toml(run["sheet"]), runs.kept_array(database, run["id"], "field"))
    runs.keep_array(database, run["id"], "picture", small_picture(drawn))


def _made_up_tunnel(database, campaign_id, latest):
    """A table as a small tunnel might give it: the baseline's own Cp with reading errors, for show only."""
    first = min(latest.values(), key=lambda run: run["id"])
    taps = unpack_taps(runs.kept_array(database, first["id"], "taps"))
    rng = np.random.default_rng(12)
    columns = {"x/c": [], "Cp (made up)": []}
    for side in ("upper", "lower"):
        k = taps.side(side)
        stations = np.array([0.02, 0.05, 0.1, 0.18, 0.28, 0.4, 0.52, 0.65, 0.78, 0.9])
        columns["x/c"] += stations.tolist()
        columns["Cp (made up)"] += np.round(
            np.interp(stations, taps.x[k], taps.cp[k]) + rng.normal(0, 0.02, len(stations)), 3).tolist()
    add_measured(database, campaign_id, "Workshop tunnel (made up)", columns)
