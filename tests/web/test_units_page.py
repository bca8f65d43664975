"""Units of a campaign's pages: chosen, typed, archived."""
import unittest

from tests.web.client import WithClient
from ventaris.core.display import Display
from ventaris.store import archive, campaigns


class Units(WithClient):
    def setUp(self):
        super().setUp()
        self.campaign = campaigns.add_campaign(self.db, "Ridge mast", "which is thinner?", {})
        self.variant = campaigns.add_variant(self.db, self.campaign, "Oval", {"chord": 0.3})
        self.point = campaigns.add_point(self.db, self.campaign, "p", {"motion": "speed", "speed": 100 / 3})
        self.sheet = f"/sheet/{self.variant}/{self.point}"

    def choose(self, **units):
        form = {"name": "Ridge mast", "question": "", **{f"unit.{k}": v for k, v in units.items()}}
        self.assertEqual(self.client.post(f"/campaigns/{self.campaign}/edit", data=form).status_code, 302)

    def display(self):
        return campaigns.display_of(campaigns.campaign(self.db, self.campaign))

    def save(self, **fields):
        form = {name.replace("__", "."): value for name, value in fields.items()}
        return self.client.post(self.sheet, data={"display": self.display().text(), **form}).text

    def chord(self):
        return campaigns.variant(self.db, self.variant)["shape"]["chord"]

    def test_the_sheet_shows_and_reads_chosen_units(self):
        self.choose(**{"m": "in", "m/s": "mph"})
        text = self.text(self.sheet)
        self.assertRegex(text, r'name="shape.chord"[^>]*value="11.811024"[^>]*><span class="unit">in<')
        self.assertRegex(text, r'name="air.speed"[^>]*value="74.564543"[^>]*><span class="unit">mph<')
        self.assertRegex(text, r'speed <span class="num">74.56</span> <span class="unit">mph<')
        # Saved as shown, nothing changes; not even the revision.
        before = campaigns.variant(self.db, self.variant)["revision"]
        self.save(shape__chord="11.811024", air__speed="74.564543")
        self.assertEqual((self.chord(), campaigns.variant(self.db, self.variant)["revision"]), (0.3, before))
        self.assertEqual(campaigns.point(self.db, self.point)["air"]["speed"], 100 / 3)
        self.save(shape__chord="10")
        self.assertAlmostEqual(self.chord(), 0.254)
        self.save(shape__chord="0.2 m")
        self.assertAlmostEqual(self.chord(), 0.2)

    def test_a_page_of_before_means_the_units_that_it_shows(self):
        old = self.display().text()
        self.choose(m="in")
        self.client.post(self.sheet, data={"display": old, "shape.chord": "0.5"})
        self.assertEqual(self.chord(), 0.5)
        # Whoever sends no units means those of the sheet.
        self.client.post(self.sheet, data={"shape.chord": "0.6"})
        self.assertEqual(self.chord(), 0.6)

    def test_a_typed_unit_stays_with_its_field(self):
        said = self.save(shape__chord="2 ft", air__speed="60 mph")
        self.assertIn('"shape.chord": ["ft", "ft"]', said)
        text = self.text(self.sheet)
        self.assertRegex(text, r'name="shape.chord"[^>]*value="2"[^>]*><span class="unit">ft<')
        self.assertRegex(text, r'name="air.speed"[^>]*value="60"[^>]*><span class="unit">mph<')
        self.save(shape__chord="3")
        self.assertAlmostEqual(self.chord(), 0.9144)

    def test_rows_keep_their_values_in_any_unit(self):
        self.choose(m="mm")
        body = campaigns.add_campaign(self.db, "Body", "", {}, "body")
        variant = campaigns.add_variant(self.db, body, "v", {"parts": [
            {"name": "a", "kind": "ellipsoid", "length": 1 / 3, "width": 0.1, "height": 0.1},
            {"name": "b", "kind": "ellipsoid", "length": 0.7, "width": 0.1, "height": 0.1, "x": 1.0}]})
        point = campaigns.add_point(self.db, body, "p", {})
        campaigns.save_display(self.db, body, Display({"m": "in"}))
        path = f"/sheet/{variant}/{point}"
        text = self.text(path)
        self.assertIn('value="13.12336"', text)
        names = ("name", "kind", "length", "width", "height", "x")
        rows = [("a", "ellipsoid", "13.12336", "3.9370079", "3.9370079", "0"),
                ("b", "ellipsoid", "10", "3.9370079", "3.9370079", "39.370079")]
        form = {"display": Display({"m": "in"}).text(), "shape.parts.count": "1",
                **{f"shape.parts[].{n}": [row[k] for row in rows] for k, n in enumerate(names)}}
        self.assertEqual(self.client.post(path, data=form).status_code, 200)
        parts = campaigns.variant(self.db, variant)["shape"]["parts"]
        self.assertEqual((parts[0]["length"], parts[1]["x"]), (1 / 3, 1.0))
        self.assertAlmostEqual(parts[1]["length"], 0.254)

    def test_units_go_with_archive_and_copy(self):
        self.choose(m="in")
        data = archive.export_campaign(self.db, self.campaign)
        archive.import_campaign(self.db, data)
        self.client.post(f"/campaigns/{self.campaign}/copy")
        again = [c for c in campaigns.all_campaigns(self.db) if c["name"].startswith("Ridge mast")]
        self.assertEqual([c["display"] for c in again], [self.display().text()] * 3)


if __name__ == "__main__":
    unittest.main()
