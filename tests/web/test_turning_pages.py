"""Pages of sections with a circle that turns: the sheet's row and drawings, film, pictures, an archive."""
import io
import json
import unittest

import numpy as np

from tests.core.test_turning_circles import AIR, GRID, POST, TURN, WHEEL, wheel_sheet
from tests.marks import slow
from tests.web.browsing import InBrowser
from tests.web.client import WithClient, store_run
from ventaris.core.study.execute import execute
from ventaris.store import archive, campaigns, runs
from ventaris.store.database import open_database
from ventaris.store.fields import pack_frames, unpack_field

SECTIONS = {
    "flow": {"time": "unsteady"}, "grid": GRID, "domain": {"far_field": 15},
    "run": {"cycle_steps": 24, "cycles": 2, "frames": 4}
}


_done = []


def finished():
    """A wheel's run, made once."""
    if not _done:
        _done.append(execute(wheel_sheet()))
        for _ in _done[0]:
            pass
    return _done[0]


def add_wheel(database):
    """(campaign, variant, point) of a wheel beside a post."""
    campaign = campaigns.add_campaign(database, "Whirl", "what does the post cost?", SECTIONS)
    variant = campaigns.add_variant(database, campaign, "post", {**WHEEL, "elements": [POST]})
    return campaign, variant, campaigns.add_point(database, campaign, "wind", {**AIR, "motions": [TURN]})


def keep_run(database, *cell):
    """Put the finished run into a cell; returns its id."""
    run_id, record = store_run(database, *cell, finished()), finished().recorder
    runs.keep_array(database, run_id, "frames", pack_frames(record.times, record.frames, record.mean))
    return run_id


@slow
class WithWheel(WithClient):
    def setUp(self):
        super().setUp()
        self.turning, self.variant, self.point = add_wheel(self.db)
        self.done, self.sheet_url = finished(), f"/sheet/{self.variant}/{self.point}"

    def with_run(self):
        return keep_run(self.db, self.turning, self.variant, self.point)

    def field(self, run_id, query=""):
        """(head, points, values by name) of a field as the canvas gets it."""
        data = self.client.get(f"/runs/{run_id}/field.bin{query}").get_data()
        length = int.from_bytes(data[:4], "little")
        head = json.loads(data[4:4 + length])
        numbers = np.frombuffer(data, "<f4", offset=4 + length)
        points = None if head.get("bare") else numbers[:2 * head["points"]].reshape(-1, 2)
        values = numbers[len(numbers) - head["points"] * len(head["values"]):]
        return head, points, dict(zip(head["values"], values.reshape(-1, head["points"])))


class Sheets(WithWheel):
    def test_a_circle_is_typed_and_kept(self):
        self.client.post(self.sheet_url, data={
            "air.motions.count": "1", "air.motions[].does": "turn", "air.motions[].whole": "circle",
            "air.motions[].edge": "1.7", "air.motions[].radius": "1.2", "air.motions[].pivot_x": "0.4",
            "air.motions[].pivot_y": "1.2"})
        kept = campaigns.point(self.db, self.point)["air"]["motions"][0]
        self.assertEqual((kept["whole"], kept["edge"]), ("circle", 1.7))

    def test_a_circle_that_cuts_is_refused_with_the_mend(self):
        page = self.client.post(self.sheet_url, data={
            "air.motions.count": "1", "air.motions[].does": "turn", "air.motions[].whole": "circle",
            "air.motions[].edge": "2.2", "air.motions[].radius": "1.2", "air.motions[].pivot_x": "0.4",
            "air.motions[].pivot_y": "1.2"}).get_data(as_text=True)
        self.assertIn("cuts “post”", page)

    def test_the_drawings_show_circle_and_meters(self):
        drawing = self.client.post(f"{self.sheet_url}/drawing/air").get_data(as_text=True)
        self.assertIn("A circle of 1.6 c turning, ωR/U 1.5", drawing)
        self.assertIn('class="measure"', drawing)
        page = self.client.post(f"{self.sheet_url}/drawing/instruments", data={
            "instruments.meters.count": "1", "instruments.meters[].name": "behind",
            "instruments.meters[].x1": "2.5", "instruments.meters[].y1": "0",
            "instruments.meters[].x2": "2.5", "instruments.meters[].y2": "2"}).get_data(as_text=True)
        self.assertIn("behind", page)

    def test_a_channel_keeps_the_row_of_what_moves(self):
        page = self.client.post(self.sheet_url, data={"domain.kind": "channel", "domain.height": "9"})
        self.assertNotIn("Take the far field all round", page.get_data(as_text=True))


class Films(WithWheel):
    def test_the_circle_turns_from_moment_to_moment(self):
        run_id = self.with_run()
        head, points, _ = self.field(run_id)
        circle = head["circles"][0]
        self.assertEqual((circle["centre"], circle["radius"]), ([0.4, 1.2], 1.6))
        turns = np.concatenate([np.arange(*part) for part in circle["points"]])
        inside = np.hypot(*(points - circle["centre"]).T) < 1.55
        self.assertEqual(set(np.nonzero(inside)[0]) - set(turns), set())
        self.assertEqual(len(circle["loops"]), 2)
        self.assertIsNone(head["place"])
        # A wheel is seen whole at first.
        self.assertLess(head["window"][0], -2)
        angles = [self.field(run_id, f"?frame={k}&q=vorticity")[0]["turned"][0] for k in range(4)]
        np.testing.assert_allclose(np.degrees(np.diff(angles)), -90, atol=1e-6)
        self.assertAlmostEqual(head["turned"][0], angles[-1], 6)
        self.assertIn("ride along", self.text(f"/runs/{run_id}/flow"))

    def test_the_last_moment_is_the_stored_field(self):
        run_id = self.with_run()
        stored, last = (self.field(run_id, query)[2]["vorticity"] for query in ("", "?frame=3&q=vorticity"))
        self.assertLess(np.percentile(np.abs(stored - last), 99), 0.05 * np.percentile(np.abs(stored), 99))

    def test_lines_and_pictures_of_a_turned_circle(self):
        run_id = self.with_run()
        traced = json.loads(self.text(f"/runs/{run_id}/lines?box=-3,4,-2,4&count=9"))["lines"]
        self.assertGreater(sum(line[0][0] < -2 and line[-1][0] > 3 for line in traced), 3)
        for query in ("q=vorticity&stream=1", "q=cp&riding=1"):
            self.assertEqual(self.client.get(f"/runs/{run_id}/picture.png?{query}").status_code, 200)
        self.assertEqual(self.client.get(f"/runs/{run_id}/difference/{run_id}/field.bin").status_code, 200)
        self.assertEqual(self.client.get(f"/runs/{run_id}/thumbnail.png").status_code, 200)
        page = self.text(f"/runs/{run_id}")
        self.assertIn("Over a cycle", page)
        self.assertIn("<td>Power</td>", page)

    def test_an_archive_takes_the_turned_circle_along(self):
        self.with_run()
        data = archive.export_campaign(self.db, self.turning)
        other = open_database(f"{self.folder}/other")
        self.addCleanup(other.close)
        archive.import_campaign(other, io.BytesIO(data).read())
        there = next(iter(runs.latest_runs(other, 1).values()))
        mesh = unpack_field(runs.kept_array(other, there["id"], "field"))[1]
        self.assertAlmostEqual(np.degrees(-mesh.zones[0].angle), self.done.history[-1]["angle"], 6)


class InTheBrowser(InBrowser):
    def test_a_wheel_turns_beside_its_post_and_is_ridden_along(self):
        database = open_database(self.server.folder.name)
        self.addCleanup(database.close)
        run_id = keep_run(database, *add_wheel(database))
        self.go(f"/runs/{run_id}/flow")
        self.page.wait_for_selector("#stage[data-ready]")
        look = "document.querySelector('#stage canvas').toDataURL()"
        pictures = [self.page.evaluate(look)]
        for moment in (1, 2):
            self.page.evaluate(f"const s = document.getElementById('frame'); s.value = {moment}; "
                               "s.dispatchEvent(new Event('input'))")
            self.page.wait_for_function(f"seen => {look} !== seen", arg=pictures[-1])
            pictures.append(self.page.evaluate(look))
        self.page.click("[data-toggle=riding]")
        self.page.wait_for_function(f"seen => {look} !== seen", arg=pictures[-1])
        # The flow under the cursor is found where the circle stands at that moment.
        box = self.page.locator("#stage canvas").bounding_box()
        self.page.mouse.move(box["x"] + 0.5 * box["width"], box["y"] + 0.5 * box["height"])
        self.page.wait_for_selector("#reading >> text=Mach number")


if __name__ == "__main__":
    unittest.main()
