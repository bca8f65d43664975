"""Views are kept with a campaign and drawn for all of its runs, in gallery, report and archive."""
import json
import tempfile
import unittest

from tests.marks import slow
from tests.sheets import COARSE, sheet
from tests.web.client import WithClient
from ventaris.core.look.saved_view import SavedView, ViewError
from ventaris.core.look.views import view_of
from ventaris.core.report.campaign import campaign_report
from ventaris.core.sheet import write_toml
from ventaris.store import archive, campaigns, reports, runs, views
from ventaris.store.database import open_database
from ventaris.worker.loop import work

NOSE = {"name": "Nose", "quantity": "cp", "box": [-0.2, 0.4, -0.2, 0.2], "streams": 8}


LOOK = {
    "view": [2, 0, 0.7, -1.25, -1.5, 0.75, 9], "fields": {"quantity": "cp", "rake-kind": "disc", "rake-count":
    "9", "line-width": "3", "iso": "loss", "iso-value": "0.5"}, "on": ["ground", "domain", "oil"],
    "planes": [{"q": "speed", "normal": "y", "at": "0", "vectors": True, "open": True}], "parts":
    {"wheel": 0.4}
}


class Views(unittest.TestCase):
    def test_a_view_of_a_body_goes_to_plain_values_and_back(self):
        view = view_of({"kind": "body", "name": "Nose", "look": LOOK})
        self.assertEqual(view_of(json.loads(json.dumps(view.as_dict()))), view)
        self.assertEqual((view.quantity, view.width, view.rake.count, view.planes[0].open, view.parts),
                         ("cp", 3.0, 9, True, {"wheel": 0.4}))
        self.assertEqual(view.words(),
                         "Pressure coefficient Cp, 1 cut plane, streamlines, an iso-surface, oil flow")
        self.assertEqual(json.loads(view.query()["look"]), LOOK)

    def test_what_is_no_view_of_a_body_is_said(self):
        fields = LOOK["fields"]
        for wrong, words in (({"view": [1, 2]}, "seven"), ({"view": [0, 0, 0, 0, 0, 0, 1]}, "seven"),
                             ({"fields": {**fields, "quantity": "taste"}}, "taste"),
                             ({"fields": {**fields, "rake-kind": "cloud"}}, "kind"),
                             ({"fields": {**fields, "rake-size": "-1"}}, "more than 0"),
                             ({"fields": {**fields, "line-width": "99"}}, "0.4 to 6"),
                             ({"fields": {**fields, "iso-value": "much"}}, "much"),
                             ({"planes": [{"q": "taste"}]}, "taste"),
                             ({"planes": [{"normal": "w"}]}, "x, y or z"),
                             ({"planes": [{}] * 9}, "at most 8"), ({"planes": [{"at": "nan"}]}, "accepted"),
                             ({"parts": {"a": 2}}, "opacity"), ({"view": "x" * 9000}, "camera")):
            with self.subTest(words), self.assertRaisesRegex(ViewError, words):
                view_of({"kind": "body", "name": "Nose", "look": {**LOOK, **wrong}})
        with self.assertRaisesRegex(ViewError, "look"):
            view_of({"kind": "body", "name": "Nose"})

    def test_a_view_of_before_keeps_its_streamlines(self):
        view = SavedView.from_dict(NOSE)
        self.assertEqual((view.lines.count, view.query()["count"]), (8, "8"))
        drawn = {"count": 5, "x": -0.2, "low": -0.3, "high": 0.3, "through": [[0.1, 0.2]], "by": "mach",
                 "width": 3, "opacity": 0.5, "arrows": 3}
        view = SavedView.from_dict({**NOSE, "lines": drawn})
        self.assertEqual(view, SavedView.from_dict(json.loads(json.dumps(view.as_dict()))))
        query = view.query()
        self.assertEqual((query["x"], query["at"], query["by"], query["arrows"], query["vectors"]),
                         ("-0.2", "0.1,0.2", "mach", "1", "1"))
        for wrong, words in (({"width": 9}, "0.4 to 6"), ({"opacity": 0}, "0.1 to 1"),
                             ({"by": "taste"}, "taste"),
                             ({"through": [[1]]}, "points"), ({"x": float("inf")}, "rake"),
                             ({"arrows": 50}, "arrows"), ({"count": 999}, "streamlines")):
            with self.subTest(words), self.assertRaisesRegex(ViewError, words):
                SavedView.from_dict({**NOSE, "lines": {**drawn, **wrong}})

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
            self.assertIn(f"/runs/{run}/view.png?name=Nose", page)
            self.assertTrue(self.client.get(f"/runs/{run}/view.png?name=Nose").data.startswith(b"\x89PNG"))
        self.assertEqual(self.client.get(f"/runs/{run}/view.png?name=None").status_code, 404)
        answer = self.client.post(f"/runs/{run}/views", data={"name": "Body", "view": json.dumps(
            {"kind": "body", "look": LOOK})})
        self.assertEqual((answer.status_code, answer.json["problem"][:5]), (400, "view:"))
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
