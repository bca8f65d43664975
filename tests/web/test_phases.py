"""Recorded moments of two flows are put beside each other."""
import unittest
from unittest import mock

from tests.web.browsing import InBrowser
from ventaris.web import phases


def moments(*kept):
    """What belongs together of runs that kept (times, period) each, or nothing."""
    with mock.patch.object(phases, "_times", lambda run: kept[run["id"]]):
        return phases.moments_of([{"id": k} for k in range(len(kept))])


class Moments(unittest.TestCase):
    def test_cycles_meet_at_the_same_share(self):
        # The first was kept from 2.25 cycles on in quarters, the second from 10.5 on in eighths.
        one, two = [9.0, 10.0, 11.0, 12.0], [21.0 + 0.25 * k for k in range(8)]
        found = moments((one, 4.0), (two, 2.0))
        self.assertEqual(len(found["words"]), 8)
        self.assertEqual(found["words"][2], "25 % of the cycle")
        for k in (0, 2, 4, 6):
            shares = one[found["frames"][0][k]] / 4.0 % 1.0, two[found["frames"][1][k]] / 2.0 % 1.0
            self.assertAlmostEqual(shares[0], k / 8)
            self.assertAlmostEqual(shares[1], k / 8)

    def test_what_has_no_cycle_meets_before_the_end(self):
        found = moments(([0.0, 1.0, 2.0], None), ([5.0, 6.0, 7.0, 8.0, 9.0], 3.0))
        # Two chords are common to both.
        self.assertEqual(found["words"][0], "2 chords before the end")
        self.assertEqual((found["frames"][0][0], found["frames"][1][0]), (0, 2))
        self.assertEqual((found["frames"][0][-1], found["frames"][1][-1]), (2, 4))

    def test_one_record_alone_is_none(self):
        self.assertIsNone(moments(([0.0, 1.0], 1.0), None))


class OnThePage(InBrowser):
    def test_two_variants_are_seen_at_the_same_phase(self):
        page = self.page
        self.go("/")
        page.click("h2 >> text='Courier drone section, pitching'")
        page.wait_for_selector(".matrix")
        home = page.url
        found = dict.fromkeys(a.get_attribute("href").split("/")[2]
                              for a in page.locator("td[data-cell] a:has-text('flow')").all())
        one, two = list(found)[:2]
        page.goto(f"{home}/compare?run={one}&run={two}")
        page.wait_for_selector("#pair[data-ready=pair]")
        page.focus("#moment")
        page.keyboard.press("Home")
        page.wait_for_selector("#pair[data-moment='0']")
        self.assertEqual(page.locator("#moment-words").text_content(), "0 % of the cycle")
        page.click("[data-mode=difference]")
        page.wait_for_selector("#pair[data-ready=difference]")
        self.assertTrue(page.locator("#moments").is_hidden())


if __name__ == "__main__":
    unittest.main()
