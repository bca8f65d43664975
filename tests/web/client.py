"""A test client on a temporary laboratory with one finished run."""
import re
import tempfile
import unittest

from flask import Response

from tests.sheets import run, sheet
from ventaris.core.instruments.taps import read_taps
from ventaris.core.sheet import write_toml
from ventaris.store import campaigns, runs
from ventaris.store.database import open_database
from ventaris.store.fields import pack_field, pack_taps
from ventaris.web.app import create_app

_finished = {}


class AsRead(Response):
    """An answer whose page reads as a browser shows it: where a template breaks a line is of no concern."""

    def get_data(self, as_text=False):
        data = super().get_data(as_text)
        return re.sub(r"\s+", " ", data) if as_text and self.mimetype == "text/html" else data


def finished(incidence=2):
    """A finished execution, computed once for all tests."""
    if incidence not in _finished:
        _finished[incidence] = run(air={"motion": "mach", "mach": 0.3, "incidence": incidence})
    return _finished[incidence]


def store_run(database, campaign_id, variant, point, execution):
    """Put a finished execution into the store as a settled run; returns its id."""
    run_id = runs.add_run(database, campaign_id, variant, point, write_toml(execution.sheet))
    level, flow, state = execution.field()
    flow.residual(state)
    runs.record(database, run_id, "running", execution.history, {"share": 1})
    runs.keep_array(database, run_id, "field", pack_field(level, flow.mesh, state))
    runs.keep_array(database, run_id, "taps", pack_taps(read_taps(flow, state)))
    runs.finish(database, run_id, "settled", execution.result)
    return run_id


class WithClient(unittest.TestCase):
    csrf = False

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = folder.name
        self.app = create_app(self.folder)
        self.app.config.update(TESTING=True, WTF_CSRF_ENABLED=self.csrf, PROPAGATE_EXCEPTIONS=False)
        self.app.response_class = AsRead
        self.client = self.app.test_client()
        self.db = open_database(self.folder)
        self.addCleanup(self.db.close)
        self.campaign = campaigns.add_campaign(self.db, "Drone wing", "thin or thick?",
                                               {"grid": {"level": "coarse"}})
        self.variant = campaigns.add_variant(self.db, self.campaign, "base", {})
        self.point = campaigns.add_point(self.db, self.campaign, "cruise",
                                         {"motion": "mach", "mach": 0.3, "incidence": 2})
        self.sheet_url = f"/sheet/{self.variant}/{self.point}"

    def with_runs(self):
        other = campaigns.add_point(self.db, self.campaign, "steep",
                                    {"motion": "mach", "mach": 0.3, "incidence": 4})
        return (store_run(self.db, self.campaign, self.variant, self.point,
                          finished()), store_run(self.db, self.campaign, self.variant, other, finished(4)))

    def text(self, url, status=200, **more):
        answer = self.client.get(url, **more)
        self.assertEqual(answer.status_code, status, answer.get_data(as_text=True)[:500])
        return answer.get_data(as_text=True)


__all__ = ["WithClient", "finished", "sheet", "store_run"]
