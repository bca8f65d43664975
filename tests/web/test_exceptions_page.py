from tests.web.client import WithClient
from ventaris.store import archive, campaigns, runs


class OwnSettings(WithClient):
    def setUp(self):
        super().setUp()
        self.with_runs()
        self.steep = campaigns.points(self.db, self.campaign)[1]["id"]

    def put(self, scope, **fields):
        found = campaigns.campaign(self.db, self.campaign)
        form = {k.replace("__", "."): v for k, v in fields.items()}
        return self.client.post(self.sheet_url,
                                data={"scope": scope, "revision.setup": found["revision"],
                                      **form}).get_data(as_text=True)

    def level(self, point):
        found = campaigns.campaign(self.db, self.campaign)
        return campaigns.compose_sheet(found, campaigns.variant(self.db, self.variant),
                                       campaigns.point(self.db, point)).grid.level

    def test_a_cell_a_column_and_back(self):
        self.assertIn('"grid.level": "this cell only"', self.put("cell", grid__level="medium"))
        self.assertEqual((self.level(self.point), self.level(self.steep)), ("medium", "coarse"))
        home = self.text(f"/campaigns/{self.campaign}")
        self.assertIn("climb to medium", home)
        # Only that cell's run is of other inputs now.
        self.assertEqual(home.count("inputs changed"), 1)
        self.client.post(f"{self.sheet_url}/as-the-campaign", data={"path": "grid.level"})
        self.assertEqual(self.level(self.point), "coarse")
        self.assertNotIn("inputs changed", self.text(f"/campaigns/{self.campaign}"))
        self.put("point", grid__level="fine", run__steps="99")
        self.assertIn(
            "maximum steps 99" if "maximum steps 99" in self.text(f"/campaigns/{self.campaign}") else "99",
            self.text(f"/campaigns/{self.campaign}"))
        self.put("campaign", run__steps="77")
        found = campaigns.campaign(self.db, self.campaign)
        self.assertEqual(campaigns.exceptions_of(found)[f"point {self.point}"]["run.steps"], 77)

    def test_bad_input_is_not_kept(self):
        page = self.put("cell", grid__around="-4")
        self.assertIn("grid.around = -4", page)
        self.assertEqual(campaigns.exceptions_of(campaigns.campaign(self.db, self.campaign)), {})

    def test_they_go_through_archive_and_copy_and_into_runs(self):
        self.put("variant", grid__level="medium")
        again = archive.import_campaign(self.db, archive.export_campaign(self.db, self.campaign))
        copy = self.client.post(f"/campaigns/{self.campaign}/copy").location.rsplit("/", 1)[1]
        for campaign_id in (again, int(copy)):
            found = campaigns.campaign(self.db, campaign_id)
            variant, point = (rows(self.db, campaign_id)[0]
                              for rows in (campaigns.variants, campaigns.points))
            self.assertEqual(campaigns.compose_sheet(found, variant, point).grid.level, "medium")
            self.assertEqual(found["setup"]["grid"]["level"], "coarse")
        self.client.post(f"{self.sheet_url}/run")
        newest = runs.latest_runs(self.db, self.campaign)[self.variant, self.point]
        self.assertIn('level = "medium"', newest["sheet"])
