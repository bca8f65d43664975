"""Tools of the pictures: values along a line, one flow wiped over another, a film to take away."""
import csv
import io
from pathlib import Path

from tests.web.browsing import InBrowser

CAMPAIGNS = "Courier drone, turbulent", "Courier drone section, pitching"


class Looking(InBrowser):
    def runs_of(self, name):
        self.page.goto(self.server.address + "/")
        self.page.click(f"h2 >> text='{name}'")
        self.page.wait_for_selector(".matrix")
        found = (a.get_attribute("href") for a in self.page.locator("a[href^='/runs/']").all())
        return list(dict.fromkeys("/".join(h.split("/")[:3]) for h in found))

    def test_a_line_a_wiper_and_a_film(self):
        page, (one, two, *_) = self.page, self.runs_of(CAMPAIGNS[0])
        page.goto(f"{self.server.address}{one}/flow")
        page.wait_for_selector("#stage[data-ready]")
        page.click("[data-toggle=line]")
        page.evaluate("window.scrollTo(0, 0)")
        box = page.locator("#stage canvas").bounding_box()
        for share in (0.3, 0.7):
            page.mouse.click(box["x"] + share * box["width"], box["y"] + 0.2 * box["height"])
        page.wait_for_selector("#along .main-svg")
        self.assertEqual(page.get_attribute("[data-toggle=line]", "aria-pressed"), "false")
        page.wait_for_url("**line=**")
        with page.expect_download() as taken:
            page.click("#line-csv")
        rows = list(csv.DictReader(io.StringIO(Path(taken.value.path()).read_text())))
        self.assertEqual(len(rows), 301)
        self.assertTrue({"s", "x", "y", "mach", "cp"} <= set(rows[0]))
        self.assertAlmostEqual(float(rows[150]["mach"]), 0.083, delta=0.03)
        # The line is in the address; what is no place is refused where it was typed.
        page.reload()
        page.wait_for_selector("#along .main-svg")
        page.fill("#line-0", "nonsense")
        page.keyboard.press("Tab")
        self.assertIn("is-invalid", page.get_attribute("#line-0", "class"))
        self.assertTrue(page.locator("#along").is_hidden())

        numbers = [address.split("/")[-1] for address in (one, two)]
        home = page.locator("nav.trail a").nth(1).get_attribute("href")
        page.goto(f"{self.server.address}{home}/compare?run={numbers[0]}&run={numbers[1]}")
        page.wait_for_selector("#pair[data-ready]")
        page.click("[data-mode=wiper]")
        page.wait_for_selector("#pair[data-ready=wiper]")
        page.focus("#wipe")
        page.keyboard.press("Home")
        wiped = "document.getElementById('pair').style.getPropertyValue('--wipe')"
        self.assertEqual(page.evaluate(wiped), "0%")
        first, second = (page.locator(f"#stage-{k}").bounding_box() for k in (0, 1))
        self.assertEqual((first["x"], first["y"]), (second["x"], second["y"]))
        page.click("[data-mode=pair]")
        page.wait_for_selector("#pair[data-ready=pair]")
        self.assertTrue(page.locator("#wipe").is_hidden())

        # What one sees of a body is in the address.
        page.goto(f"{self.server.address}{self.runs_of('Ridge-line wing')[0]}/flow")
        page.wait_for_selector("#flow[data-ready]")
        page.click("[data-view=left]")
        page.locator("[data-p=normal]").first.select_option("x")
        page.click("[data-toggle=ground]")
        page.wait_for_function("""() => { const said = decodeURIComponent(location.search);
            return said.includes('"speed","x"') && !said.includes('"ground"'); }""")
        page.wait_for_timeout(600)
        before = page.url
        page.reload()
        page.wait_for_selector("#flow[data-ready]")
        self.assertEqual(page.locator("[data-p=normal]").first.input_value(), "x")
        self.assertEqual(page.get_attribute("[data-toggle=ground]", "aria-pressed"), "false")
        self.assertEqual([round(v, 6) for v in page.evaluate("window.bodyCanvas.view.direction")], [0, -1, 0])
        self.assertEqual(page.url, before)
        page.goto(before.split("?")[0] + "?look=nonsense")
        page.wait_for_selector("#flow[data-ready]")

        page.goto(f"{self.server.address}{self.runs_of(CAMPAIGNS[1])[0]}/flow")
        page.wait_for_selector("#stage[data-ready]")
        # A small picture is drawn quickly without a graphics card.
        page.set_viewport_size({"width": 1000, "height": 520})
        with page.expect_download(timeout=240_000) as taken:
            page.click("#film")
        self.assertGreater(Path(taken.value.path()).stat().st_size, 30_000)
        self.assertTrue(page.locator("#film-done").is_hidden())
