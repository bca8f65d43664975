"""Pages say when runs end; campaigns are put away; usual values stand beside fields."""
import unittest

from tests.web.client import WithClient
from ventaris.store import campaigns, runs


class Small(WithClient):
    def setUp(self):
        super().setUp()
        self.campaign = campaigns.add_campaign(self.db, "Ridge mast", "which is thinner?", {})
        self.variant = campaigns.add_variant(self.db, self.campaign, "Oval", {})
        self.point = campaigns.add_point(self.db, self.campaign, "10 m/s", {})

    def test_runs_that_ended_since_the_last_look_are_news_once(self):
        run = runs.add_run(self.db, self.campaign, self.variant, self.point, "a")
        study = runs.add_run(self.db, self.campaign, self.variant, self.point, "b", study=2.0)
        first = self.client.get("/queue/news").json
        self.assertEqual((first["active"], first["ended"]), (2, []))
        self.db.execute("UPDATE run SET state = 'settled', finished = '2999-01-01T00:00:00.000Z' WHERE id "
                        "IN (?, ?)", (run, study))
        news = self.client.get(f"/queue/news?since={first['now']}").json
        self.assertEqual(news["active"], 0)
        self.assertEqual(news["ended"], [{"run": run, "campaign": "Ridge mast", "state": "settled",
                                          "home": f"/campaigns/{self.campaign}", "cell": "Oval at 10 m/s"}])
        for odd in ("", "'", "2999-06-01T00:00:00.000Z"):
            self.assertEqual(self.client.get("/queue/news", query_string={"since": odd}).status_code, 200)

    def test_a_campaign_is_put_away_and_brought_back(self):
        other = campaigns.add_campaign(self.db, "Second", "", {})
        self.client.post(f"/campaigns/{self.campaign}/away")
        front = self.text("/")
        self.assertIn("1 put away", front)
        self.assertNotIn(f'href="/campaigns/{self.campaign}"', front)
        self.assertIn(f'href="/campaigns/{other}"', front)
        away = self.text("/?away")
        self.assertIn(f'href="/campaigns/{self.campaign}"', away)
        self.assertNotIn(f'href="/campaigns/{other}"', away)
        self.assertIn("Back to the first page", self.text(f"/campaigns/{self.campaign}"))
        self.client.post(f"/campaigns/{self.campaign}/back")
        self.assertIn(f'href="/campaigns/{self.campaign}"', self.text("/"))
        self.assertEqual(self.client.post("/campaigns/99999/away").status_code, 404)

    def test_usual_values_are_accepted_by_their_fields(self):
        from ventaris.core.sheet import SECTIONS_OF, read_section
        found = 0
        for space, sections in SECTIONS_OF.items():
            for name, model in sections.items():
                for field in model.model_fields:
                    for value in model.meta(field).get("usual", {}):
                        typed = f"{value} {model.meta(field)['unit']}"
                        read_section(name, {**model().model_dump(), field: typed}, space)
                        found += 1
        self.assertGreater(found, 20)
        self.assertIn("0.3 %: an ordinary tunnel", self.text(f"/sheet/{self.variant}/{self.point}"))


if __name__ == "__main__":
    unittest.main()
