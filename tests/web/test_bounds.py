"""What addresses, fields and strangers may ask for: bounded, and answered in words."""
import random
import shutil
import signal
import subprocess
import time
import unittest
from pathlib import Path
from unittest import mock

from tests.marks import slow
from tests.web.client import WithClient
from ventaris.core import units
from ventaris.core.sheet import SheetError
from ventaris.store import campaigns
from ventaris.web.app import PasswordBrake, basic_header, create_app, is_loopback
from ventaris.web.uploads import parse_surface, parse_upload


class Addresses(WithClient):
    @slow
    def test_boxes_counts_and_ranges_of_pictures(self):
        one, _ = self.with_runs()
        for query in ("box=0,1,0,400", "box=0,1,0,1e6", "box=-1e308,1e308,-1e308,1e308", "box=0,1e-300,0,1",
                      "stream=1&count=20000", "stream=1&count=-5", "low=-1e308&high=1e308",
                      "low=nan&high=inf", "box=" + "9" * 5000, "low=0&high=1e-320"):
            with self.subTest(query[:60]):
                started = time.monotonic()
                answer = self.client.get(f"/runs/{one}/picture.png?{query}")
                self.assertEqual(answer.status_code, 200)
                self.assertLess(len(answer.data), 3_000_000)
                self.assertLess(time.monotonic() - started, 30)
        for query in ("count=-4", "count=99999", "kind=vectors&columns=99999", "kind=vectors&box=0,1,0,1e9",
                      "x=1e300", "low=1e308&high=-1e308", "box=1,2"):
            self.assertEqual(self.client.get(f"/runs/{one}/lines?{query}").status_code, 200, query)

    @slow
    def test_any_number_in_any_address_is_answered_quickly(self):
        one, two = self.with_runs()
        rng = random.Random(32)
        nasty = ("1e308", "-1", "nan", "9" * 400, "1 9^9^9^9", "x" * 3000, "", "0", "1x" + " " * 9000 + "y",
                 "٣", "1e-400", "../..", "%00")
        places = (f"/runs/{one}/picture.svg?q={{}}", f"/runs/{one}/profile?x={{}}&y={{}}",
                  f"/runs/{one}/wake?x={{}}", f"/runs/{one}/lines?box={{}},{{}},{{}},{{}}",
                  f"/runs/{one}/field.bin?frame={{}}",
                  f"/campaigns/{self.campaign}/compare?run={{}}&run={{}}",
                  f"/campaigns/{self.campaign}/map?across={{}}",
                  f"/campaigns/{self.campaign}/curves.json?what={{}}&table={{}}", "/runs/{}", "/campaigns/{}",
                  f"/runs/{one}/live?after={{}}", f"/runs/{two}/difference/{{}}/field.bin")
        for _ in range(150):
            place = rng.choice(places)
            address = place.format(*(rng.choice(nasty) for _ in range(place.count("{}"))))
            started = time.monotonic()
            self.assertLess(self.client.get(address).status_code, 500, address[:200])
            self.assertLess(time.monotonic() - started, 20, address[:200])

    def test_numbers_with_units_are_read_in_no_time(self):
        for text in ("1 9^9^9^9", "1x" + " " * 40_000 + "y", "1 m" + "^9" * 30, "1 " + "m*" * 2000 + "m",
                     "9" * 100_000, "1 (((((m)))))", "1 m**9**9**9", "1 " + "(" * 5000):
            started = time.monotonic()
            with self.assertRaises(units.UnitError):
                units.parse(text, "m")
            self.assertLess(time.monotonic() - started, 1.0)
        with self.assertRaisesRegex(units.UnitError, "two ways: write 10000 .*10.000"):
            units.parse("10,000 m", "m")
        self.assertEqual([units.parse(t, "m") for t in ("10 000 m", "0,125 m", "1,5 m", "10'000")],
                         [10000, 0.125, 1.5, 10000])

    def test_grids_that_are_too_large_for_a_page_are_refused_before_they_are_made(self):
        campaign = campaigns.add_campaign(self.db, "crate", space="body")
        variant = campaigns.add_variant(
            self.db, campaign, "v",
            {"parts": [{"name": "b", "kind": "box", "length": 1, "width": 1, "height": 1}]})
        point = campaigns.add_point(self.db, campaign, "p", {"speed": 20})
        started = time.monotonic()
        answer = self.client.post(f"/sheet/{variant}/{point}/quality",
                                  data={"grid.surface_size": "1 mm", "grid.level": "fine"})
        self.assertIn("too many", answer.get_data(as_text=True))
        zone = {
            "shape.parts.count": "1", "shape.parts[].name": "b", "shape.parts[].kind": "box",
            "grid.zones.count": "1", "grid.zones[].kind": "box", "grid.zones[].size": "2 mm",
            "grid.zones[].length": "1", "grid.zones[].width": "1", "grid.zones[].height": "1"
        }
        page = self.client.post(f"/sheet/{variant}/{point}", data=zone).get_data(as_text=True)
        self.assertIn("this zone of 1", page)
        self.assertLess(time.monotonic() - started, 60)


class Strangers(WithClient):
    def test_loopback_in_all_its_forms(self):
        for host in ("127.0.0.1", "127.0.0.2:80", "localhost:8400", "[::1]", "[::1]:8400", "::1"):
            self.assertTrue(is_loopback(host), host)
        for host in ("127.0.0.1.example.org", "example.org:127", "0.0.0.0", "[::2]", "", "10.0.0.1", "[::1"):
            self.assertFalse(is_loopback(host), host)
        self.assertEqual(self.client.get("/", headers={"Host": "[::1]:8400"}).status_code, 200)

    def test_wrong_passwords_wait_longer_each_time(self):
        now = [0.0]
        brake = PasswordBrake(lambda: now[0])
        for _ in range(5):
            self.assertEqual(brake.wait("a"), 0)
            brake.failed("a")
        self.assertGreater(brake.wait("a"), 1)
        self.assertEqual(brake.wait("b"), 0)
        now[0] += 3
        brake.failed("a")
        self.assertGreater(brake.wait("a"), 3)
        brake.passed("a")
        self.assertEqual(brake.wait("a"), 0)
        client = create_app(self.folder, "secret", local=False).test_client()
        codes = [
            client.get("/", headers={"Authorization": basic_header("wrong")}).status_code for _ in range(7)
        ]
        self.assertEqual(codes, [401] * 5 + [429] * 2)

    def test_undo_leads_to_pages_of_this_server_only(self):
        for referrer, place in (("http://localhost/campaigns/1?show=lift", "/campaigns/1?show=lift"),
                                ("http://evil.example/x", "/"), ("http://localhost//evil.example",
                                                                 "/"), ("javascript:alert(1)", "/")):
            answer = self.client.post("/undo", headers={"Referer": referrer, "Host": "localhost"})
            self.assertEqual(answer.headers["Location"], place, referrer)

    def test_two_servers_in_one_browser_keep_their_cookies_apart(self):
        other = create_app(Path(self.folder) / "other")
        self.assertNotEqual(other.config["SESSION_COOKIE_NAME"], self.app.config["SESSION_COOKIE_NAME"])

    def test_a_moved_folder_is_said_and_not_replaced_by_an_empty_one(self):
        moved = Path(self.folder) / "lab"
        client = create_app(moved).test_client()
        self.assertEqual(client.get("/").status_code, 200)
        shutil.move(moved, Path(self.folder) / "elsewhere")
        answer = client.get("/")
        self.assertEqual(answer.status_code, 503)
        self.assertIn("no laboratory in", answer.get_data(as_text=True))
        self.assertFalse(moved.exists())


class FairRanking(WithClient):
    def result(self, area, drag, bar=0.001):
        trend = {
            "values": [drag], "order": None, "extrapolated": None, "error": bar, "behaviour": "one level",
            "words": ""
        }
        return {
            "space": "body", "shape": {"area": area}, "coefficients": {"drag": drag, "lift": 0.1},
            "trends": {"drag": trend, "lift": {**trend, "values": [0.1]}}, "levels": [],
            "forces": {"drag": drag * area * 600, "lift": 60 * area,
                       "unit": "N"}, "verdict": {"settled": True, "words": "", "warnings": []}
        }

    def test_the_smaller_force_wins_where_each_variant_has_its_own_area(self):
        from ventaris.core.study.comparison import (
            fair_quantity, is_doubtful, paired_error, quantity_of, references_differ
        )
        upright, tucked = self.result(0.56, 0.44), self.result(0.36, 0.48)
        results = [upright, tucked]
        self.assertEqual(references_differ(results), (0.36, 0.56))
        self.assertEqual(fair_quantity("body", results), "drag_area")
        self.assertLess(quantity_of(tucked, "drag_area")[0], quantity_of(upright, "drag_area")[0])
        self.assertIsNone(references_differ([upright, self.result(0.56, 0.3)]))
        self.assertEqual(fair_quantity("body", [upright, self.result(0.56, 0.3)]), "drag")
        self.assertTrue(is_doubtful(self.result(0.5, 0.4, 0.2)))
        self.assertFalse(is_doubtful(upright))
        for result in results:
            result["levels"] = [{
                "level": name, "coefficients": {"drag": result["coefficients"]["drag"] * (1 + e)}
            } for name, e in (("coarse", 0.4), ("medium", 0.1), ("fine", 0.0))]
        self.assertIsNotNone(paired_error(tucked, upright, "drag_area"))


class Parsers(unittest.TestCase):
    def test_out_of_time_is_told_from_out_of_memory(self):
        for code, words in ((-signal.SIGXCPU, "too long"), (1, "memory")):
            done = subprocess.CompletedProcess([], code, b"", b"")
            with mock.patch.object(subprocess, "run", return_value=done):
                with self.assertRaisesRegex(SheetError, words):
                    parse_upload("coordinates", b"0 0")
                with self.assertRaisesRegex(SheetError, words):
                    parse_surface("stl", b"")


if __name__ == "__main__":
    unittest.main()
