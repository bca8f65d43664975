"""The queue page: order, bringing forward, pausing all, what has ended."""
import unittest

from tests.sheets import sheet
from tests.web.client import WithClient
from ventaris.core.sheet import write_toml
from ventaris.store import campaigns, queue, runs


class WithQueue(WithClient):
    def setUp(self):
        super().setUp()
        self.campaign = campaigns.add_campaign(self.db, "Ridge mast", "which is thinner?", {})
        self.variant = campaigns.add_variant(self.db, self.campaign, "Oval", {})
        self.points = [campaigns.add_point(self.db, self.campaign, f"{k} m/s", {}) for k in range(4)]
        self.runs = [
            runs.add_run(self.db, self.campaign, self.variant, point, write_toml(sheet()), estimate=estimate)
            for point, estimate in zip(self.points, (900.0, 20.0, 25.0, 30.0))
        ]

    def order(self):
        return [row["id"] for row in queue.waiting(self.db)]


class Order(WithQueue):
    def test_the_page_lists_what_waits_in_the_order_of_its_turn(self):
        long, one, two, three = self.runs
        self.assertEqual(self.order(), [one, two, three, long])
        text = self.text("/queue")
        self.assertLess(text.index(f'/runs/{one}"'), text.index(f'/runs/{long}"'))
        self.assertIn("4 runs", text)
        self.assertIn("about 15 min", text)
        self.assertIn("No worker is running", text)
        self.assertIn("Nothing is computed now", text)

    def test_what_is_brought_forward_is_next_and_the_last_one_first(self):
        long, one, two, three = self.runs
        self.client.post(f"/queue/runs/{long}/forward")
        self.assertEqual(self.order()[0], long)
        self.client.post(f"/queue/runs/{three}/forward")
        self.assertEqual(self.order(), [three, long, one, two])
        self.assertEqual(runs.queue_position(self.db, long), 1)
        self.assertEqual(runs.claim(self.db, "w")["id"], three)
        # What runs is not put back for what a person did not ask for first.
        self.assertFalse(runs.shorter_waiting(self.db, three, 1e4))

    def test_only_what_waits_can_be_brought_forward(self):
        run_id = runs.claim(self.db, "w")["id"]
        answer = self.client.post(f"/queue/runs/{run_id}/forward")
        self.assertEqual(answer.status_code, 409)
        self.assertIn("Only a run that waits", answer.text)
        for path in ("/queue/runs/99999/stop", f"/queue/runs/{run_id}/dance", "/queue/dance"):
            self.assertEqual(self.client.post(path).status_code, 404, path)


class All(WithQueue):
    def test_all_pause_and_go_on(self):
        active = runs.claim(self.db, "w")["id"]
        self.client.post("/queue/pause")
        states = {row["id"]: row["state"] for row in queue.under_way(self.db)}
        self.assertEqual(sorted(states.values()), ["gridding", "paused", "paused", "paused"])
        self.assertEqual(runs.run(self.db, active)["request"], "pause")
        self.assertIsNone(runs.claim(self.db, "w"))
        self.assertIn("asked to pause", self.text("/queue"))
        self.client.post("/queue/resume")
        self.assertEqual(len(self.order()), 3)

    def test_one_by_one_and_what_has_ended(self):
        self.client.post(f"/queue/runs/{self.runs[0]}/stop")
        self.client.post(f"/queue/runs/{self.runs[1]}/pause")
        self.assertEqual(runs.run(self.db, self.runs[0])["state"], "stopped")
        runs.claim(self.db, "w")
        runs.finish(self.db, self.runs[2], "failed", error="The coarse grid: <blew up>")
        ended = queue.ended(self.db)
        self.assertEqual({row["id"] for row in ended}, {self.runs[0], self.runs[2]})
        text = self.text("/queue")
        self.assertIn("&lt;blew up&gt;", text)
        self.assertIn("paused", text)
        # The page refreshes its tables alone.
        part = self.client.get("/queue", headers={"HX-Request": "true"}).text
        self.assertNotIn("<html", part)
        self.assertIn("Ended lately", part)

    def test_what_is_deleted_is_not_listed(self):
        campaigns_left = len(self.order())
        self.db.execute("UPDATE operating_point SET deleted = 1 WHERE id = ?", (self.points[1], ))
        self.assertEqual(len(self.order()), campaigns_left - 1)


if __name__ == "__main__":
    unittest.main()
