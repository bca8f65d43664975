"""A campaign begins with a kind or with a file, and is copied."""
import io

import trimesh

from tests.marks import slow
from tests.sheets import sheet
from tests.web.client import WithClient
from ventaris.core.sheet import write_toml
from ventaris.core.study.aim import Aim
from ventaris.store import archive, campaigns


def box(length):
    """An STL file of a box."""
    return trimesh.creation.box((length, 0.4 * length, 0.3 * length)).export(file_type="stl")


class Begin(WithClient):
    def begin(self, data=None, file="", status=302, **form):
        if data is not None:
            form["file"] = (io.BytesIO(data if isinstance(data, bytes) else data.encode()), file)
        answer = self.client.post("/campaigns", data=form)
        self.assertEqual(answer.status_code, status, answer.get_data(as_text=True)[:300])
        return answer

    def latest(self):
        return campaigns.all_campaigns(self.db)[0]

    def test_a_kind_leads_to_its_first_variant_and_starts_turbulent(self):
        answer = self.begin(name="New", space="section")
        self.assertIn("/variants/new", answer.location)
        self.assertEqual(self.latest()["setup"]["flow"]["model"], "turbulent")
        self.assertIn("needs a name", self.begin(status=400, space="body").get_data(as_text=True))

    @slow
    def test_a_surface_leads_to_a_bodys_sheet_in_the_unit_that_it_must_have(self):
        for length, unit in ((4.1, "m"), (4100.0, "mm")):
            answer = self.begin(box(length), "My car.stl", space="section")
            found = self.latest()
            self.assertEqual((found["name"], found["space"]), ("My car", "body"))
            (variant, ) = campaigns.variants(self.db, found["id"])
            self.assertEqual(variant["shape"]["parts"][0]["unit"], unit)
            self.assertIn("4.1 m", self.text(answer.location + "/drawing/shape"))

    @slow
    def test_coordinates_become_a_section_or_a_nozzle(self):
        points = "\n".join(f"{x / 20:g} {sign * 0.12 * (x / 20) * (1 - x / 20):.5f}"
                           for sign, xs in ((1, range(20, -1, -1)), (-1, range(1, 21))) for x in xs)
        self.begin(f"Wedge\n{points}\n", "wedge.dat", question="why?")
        self.assertEqual((self.latest()["space"], self.latest()["question"]), ("section", "why?"))
        self.begin("0 0.05\n0.1 0.03\n0.2 0.04\n", "bell.csv", space="nozzle", name="Bell")
        self.assertEqual((self.latest()["space"], self.latest()["name"]), ("nozzle", "Bell"))
        page = self.begin("0 0.05\n0.1 0.03\n", "row.csv", space="row", status=400)
        self.assertIn("a blade row begins with", page.get_data(as_text=True))

    @slow
    def test_a_sheet_and_an_archive_say_what_they_are(self):
        text = write_toml(sheet(air={"motion": "mach", "mach": 0.4}, grid={"level": "medium"}))
        answer = self.begin(text, "mine.toml", space="row")
        found = self.latest()
        self.assertEqual((found["space"], found["setup"]["grid"]["level"]), ("section", "medium"))
        self.assertIn("/sheet/", answer.location)
        packed = archive.export_campaign(self.db, self.campaign)
        self.begin(packed, "c.zip")
        self.assertEqual(self.latest()["name"], "Drone wing")
        for data, name in ((b"rubbish", "c.zip"), (b"= 3", "c.toml"), (b"solid", "c.stl"), (b"", "c.dat")):
            with self.subTest(name):
                self.begin(data, name, status=400)

    def test_a_campaign_is_copied_without_its_runs(self):
        self.with_runs()
        campaigns.save_aim(self.db, self.campaign, Aim("drag", weights={self.point: 1.0}))
        answer = self.client.post(f"/campaigns/{self.campaign}/copy")
        page = self.text(answer.location)
        self.assertIn("Drone wing, copy", page)
        self.assertIn("Run what is missing (2)", page)
        again = self.latest()
        points = [p["id"] for p in campaigns.points(self.db, again["id"])]
        self.assertEqual(campaigns.aim_of(again).weights, {points[0]: 1.0})
