"""Tools of the pictures: values along a line, one flow wiped over another, a film to take away."""
import csv
import io
from pathlib import Path

from tests.web.browsing import InBrowser

CAMPAIGNS = "Courier drone, turbulent", "Courier drone section, pitching"


class Grips(InBrowser):
    """What is seen in a picture or a drawing is moved there."""

    def open(self, name, word):
        self.page.goto(self.server.address + "/")
        self.page.click(f"h2 >> text='{name}'")
        self.page.wait_for_selector(".matrix")
        link = self.page.locator(f"td[data-cell] a:has-text('{word}')").first.get_attribute("href")
        self.page.goto(self.server.address + link)

    def drag(self, selector, right, down):
        node = self.page.locator(selector)
        node.scroll_into_view_if_needed()
        box = node.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + right / 2, y + down / 2)
        self.page.mouse.move(x + right, y + down)
        self.page.mouse.up()

    def number(self, selector):
        return float(self.page.locator(selector).first.input_value().replace("−", "-"))

    def test_a_rake_and_points_are_moved_in_a_plane(self):
        page = self.page
        self.open("Courier drone, turbulent", "flow")
        page.wait_for_selector("#stage[data-ready]")
        page.click("[data-toggle=stream]")
        page.wait_for_selector("[data-grip=rake]:visible")
        page.evaluate("window.scrollTo(0, 0)")
        width = page.locator("#stage").bounding_box()["width"]
        self.drag("[data-grip=rake]", 0.2 * width, 0)
        # The window is 2.1 chords wide: a fifth of it is 0.42 of them.
        self.assertAlmostEqual(self.number("#rake-x"), 0.52 - 1.05 + 0.021 + 0.42, delta=0.02)
        page.focus("[data-grip=rake-1]")
        before = self.number("#rake-high")
        page.keyboard.press("ArrowDown")
        self.assertAlmostEqual(self.number("#rake-high"), before - 8 * 2.1 / width - 0.03 * (self.number(
            "#rake-high") - self.number("#rake-low")), delta=0.05)
        page.wait_for_url("**x=**")
        # A click starts a further streamline; what it started is in the address, and can be taken away.
        page.click("[data-toggle=seed]")
        page.locator("#stage canvas").click(position={"x": 300, "y": 100})
        page.wait_for_selector("[data-grip=seed-0]:visible")
        self.wait_until(lambda: "&at=" in page.url)
        asked = page.locator("[data-export=png]").get_attribute("href")
        self.assertIn("at=", asked)
        self.assertEqual(page.request.get(self.server.address + asked).body()[:4], b"\x89PNG")
        page.click("#no-seeds")
        self.wait_until(lambda: "&at=" not in page.url)
        self.assertEqual(page.locator("[data-grip^=seed]").count(), 0)

    def test_a_plane_and_a_rake_are_moved_in_space(self):
        page = self.page
        self.open("Valley railcar nose", "flow")
        page.wait_for_selector("#flow[data-ready]")
        page.click("[data-view=front]")
        page.evaluate("window.scrollTo(0, 0)")
        self.drag("[data-grip=plane-1]", 60, 0)
        # Seen from ahead the left-hand side of the picture is y < 0.
        self.assertGreater(abs(self.number("[data-p=at]")), 0.05)
        page.select_option("#rake-kind", "disc")
        page.wait_for_selector("[data-of=streams]")
        before = [self.number(f"#rake-{axis}") for axis in "xyz"]
        self.drag("[data-grip=rake]", 0, -50)
        after = [self.number(f"#rake-{axis}") for axis in "xyz"]
        self.assertGreater(after[2], before[2] + 0.05)
        self.assertAlmostEqual(after[0], before[0], delta=0.02)
        page.select_option("#rake-kind", "part")
        page.locator("#stage canvas").click(position={"x": page.locator("#stage").bounding_box()["width"] / 2,
                                                      "y": 330})
        self.wait_until(lambda: '"part"' in page.evaluate("decodeURIComponent(location.search)"))

    def test_what_stands_in_a_drawing_is_dragged_into_the_sheet(self):
        page = self.page
        self.open("Courier drone, turbulent", "sheet")
        page.wait_for_selector("#drawing svg")
        page.click("[data-rows='instruments.probes'] [data-add-row]")
        page.click("[data-tab=instruments]")
        page.wait_for_selector("#drawing .handle >> nth=1")
        self.wait_until(lambda: "saved" in page.locator("#saved").text_content())
        page.evaluate("window.scrollTo(0, 0)")
        place = ["[name='instruments.probes[].x']", "[name='instruments.probes[].y']"]
        before = list(map(self.number, place))
        self.drag("#drawing .handle >> nth=1", -50, -25)
        after = list(map(self.number, place))
        self.assertLess(after[0], before[0] - 0.05)
        self.assertAlmostEqual((after[1] - before[1]) / (before[0] - after[0]), 0.5, delta=0.05)
        self.wait_until(lambda: "saved" in page.locator("#saved").text_content())
        page.reload()
        page.wait_for_selector("#drawing svg")
        self.assertEqual(self.number(place[0]), after[0])


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
            return said.includes('"normal":"x"') && !said.includes('"ground"'); }""")
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
