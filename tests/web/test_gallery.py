"""Views are kept with a campaign and drawn for all of its runs, in gallery, report and archive."""
import json
import tempfile
import unittest

from tests.marks import slow
from tests.sheets import COARSE, sheet
from tests.web.client import WithClient
from ventaris.core.look.saved_view import SavedView, ViewError
from ventaris.core.report.campaign import campaign_report
from ventaris.core.sheet import write_toml
from ventaris.store import archive, campaigns, reports, runs, views
from ventaris.store.database import open_database
from ventaris.worker.loop import work

NOSE = {"name": "Nose", "quantity": "cp", "box": [-0.2, 0.4, -0.2, 0.2], "streams": 8}


class Views(unittest.TestCase):
    def test_a_view_goes_to_plain_values_and_back(self):
        view = SavedView.from_dict(NOSE)
        self.assertEqual(SavedView.from_dict(json.loads(json.dumps(view.as_dict()))), view)
        self.assertEqual(view.query()["box"], "-0.2,0.4,-0.2,0.2")
        self.assertEqual(view.query()["view"], "0.1,0,0.6")

    def test_what_is_no_view_is_said(self):
        for wrong, words in (({"name": " "}, "name"), ({"name": "x" * 61}, "name"),
                             ({"quantity": "taste"}, "taste"), ({"box": [0, 1, 2]}, "box"),
                             ({"box": [1, 0, 0, 1]}, "rising"), ({"box": [0, float("nan"), 0, 1]}, "box"),
                             ({"span": [2, 1]}, "range"), ({"streams": 1000}, "streamlines"),
                             ({"streams": "many"}, "streamlines")):
            with self.assertRaisesRegex(ViewError, words):
                SavedView.from_dict({**NOSE, **wrong})


@slow
class Gallery(WithClient):
    def setUp(self):
        super().setUp()
        self.campaign = campaigns.add_campaign(self.db, "Ridge mast", "", {})
        variants = [campaigns.add_variant(self.db, self.campaign, name, {}) for name in ("Oval", "Thick")]
        point = campaigns.add_point(self.db, self.campaign, "10 m/s", {})
        self.runs = [runs.add_run(self.db, self.campaign, variant, point, write_toml(sheet(COARSE)))
                     for variant in variants]
        work(self.folder, until_idle=True)

    def keep(self, name, **view):
        return self.client.post(f"/runs/{self.runs[0]}/views",
                                data={"name": name, "view": json.dumps({**NOSE, **view})})

    def test_a_view_is_drawn_for_every_run(self):
        self.assertIn("No view is kept yet", self.text(f"/campaigns/{self.campaign}/gallery"))
        self.assertEqual(self.keep("Nose").json["gallery"], f"/campaigns/{self.campaign}/gallery")
        self.assertEqual(self.keep("Nose", quantity="mach").status_code, 200)
        for bad in ({"box": None}, {"quantity": "taste"}):
            answer = self.keep("Other", **bad)
            self.assertEqual(answer.status_code, 400)
            self.assertIn("accepted" if "box" in bad else "taste", answer.json["problem"])
        self.assertEqual(self.client.post(f"/runs/{self.runs[0]}/views", data={"view": "["}).status_code, 400)
        page = self.text(f"/campaigns/{self.campaign}/gallery")
        for run in self.runs:
            self.assertIn(f"/runs/{run}/picture.png?q=mach", page)
        query = views.views_of(campaigns.campaign(self.db, self.campaign))[0].query()
        picture = self.client.get(f"/runs/{self.runs[1]}/picture.png", query_string={**query, "inline": ""})
        self.assertTrue(picture.data.startswith(b"\x89PNG"))

        # In the report, side by side; in the archive; in a copy.
        document = campaign_report(reports.material_of(self.db, self.campaign))
        captions = [p.caption for block in document.blocks for p in getattr(block, "pictures", ())]
        self.assertIn("Nose, Oval at 10 m/s: Mach number, streamlines", captions)
        with tempfile.TemporaryDirectory() as folder:
            other = open_database(folder)
            archive.import_campaign(other, archive.export_campaign(self.db, self.campaign))
            again = campaigns.all_campaigns(other)[0]
            self.assertEqual([v.name for v in views.views_of(again)], ["Nose"])
            other.close()
        self.client.post(f"/campaigns/{self.campaign}/copy")
        self.assertEqual(len(views.views_of(campaigns.all_campaigns(self.db)[0])), 1)

        self.client.post(f"/campaigns/{self.campaign}/gallery/drop", data={"name": "Nose"})
        self.assertIn("No view is kept yet", self.text(f"/campaigns/{self.campaign}/gallery"))


if __name__ == "__main__":
    unittest.main()
