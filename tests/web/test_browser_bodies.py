"""A body in the real interface: import, sheet, run, look, in a headless browser."""
import tempfile
import unittest
from pathlib import Path

from tests.web.browsing import InBrowser
from ventaris.core.formats.surfaces import write_surface
from ventaris.core.shapes import bodies


class Bodies(InBrowser):
    options = ("--no-demo", )

    def colours(self, canvas):
        """How many different colours a canvas of the page shows, of a coarse raster."""
        return self.page.evaluate(
            """(name) => { const gl = document.querySelector(name + " canvas");
            const pen = document.createElement("canvas").getContext("2d");
            pen.canvas.width = 64; pen.canvas.height = 40; pen.drawImage(gl, 0, 0, 64, 40);
            const d = pen.getImageData(0, 0, 64, 40).data, seen = new Set();
            for (let k = 0; k < d.length; k += 4)
                seen.add((d[k] >> 4) * 256 + (d[k + 1] >> 4) * 16 + (d[k + 2] >> 4));
            return seen.size; }""", canvas)

    def test_from_a_file_to_a_flow_that_can_be_turned(self):
        page = self.page
        page.goto(self.server.address)
        clicks = 0

        def click(selector):
            nonlocal clicks
            clicks += 1
            page.click(selector)

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "crate.stl"
            path.write_bytes(write_surface(bodies.box(1200, 800, 600), "stl"))
            page.set_input_files("#begin-file", str(path))
            click("text=Begin")
        self.assertEqual(page.input_value("[name='variant.name']"), "crate")
        page.wait_for_selector("#preview[data-ready]")
        self.assertGreater(self.colours("#preview"), 3)
        self.assertEqual(page.input_value("[name='shape.parts[].unit']"), "mm")
        # A click on the body names the smooth piece there.
        page.click("#name-surface")
        box = page.locator("#preview canvas").bounding_box()
        page.mouse.click(box["x"] + 0.5 * box["width"], box["y"] + 0.5 * box["height"])
        page.wait_for_selector("[name='shape.regions[].name']")
        self.wait_until(lambda: "surface 1" in page.inner_text("#named"))
        # A small grid, so that the answer comes at once; some of it is seldom touched.
        page.click("#section-grid [data-more]")
        for name, value in (("grid.surface_size", "60 mm"), ("grid.edge_halvings", "0"),
                            ("grid.wake_length", "0"), ("domain.ahead", "1.5"), ("domain.behind", "2.5"),
                            ("domain.beside", "1.5"), ("run.steps", "20")):
            page.fill(f"[name='{name}']", value)
            page.press(f"[name='{name}']", "Tab")
        page.select_option("[name='grid.level']", "coarse")
        page.wait_for_selector("#saved:has-text('saved')")
        click("[data-start]")
        # Beginning with a file and running it took no more than these.
        self.assertEqual(clicks, 2)
        page.wait_for_selector("#panel .verdict")
        page.wait_for_selector("#live canvas")
        self.assertIn("By surface" if page.locator("text=By surface").count() else "References",
                      page.inner_text("#panel"))
        page.click("text=Flow")
        page.wait_for_selector("#flow[data-ready]")
        self.assertGreater(self.colours("#stage"), 20)
        page.select_option("#rake-kind", "disc")
        page.wait_for_selector("[data-of='streams']")
        page.select_option("#iso", "loss")
        page.wait_for_selector("[data-of='iso']")
        page.click("[data-view='top']")
        page.click("[data-p='open']")
        before = page.evaluate("window.bodyCanvas.view.direction[0]")
        page.mouse.move(400, 400)
        page.mouse.down()
        page.mouse.move(520, 420, steps=4)
        page.mouse.up()
        self.assertNotEqual(before, page.evaluate("window.bodyCanvas.view.direction[0]"))
        with page.expect_download() as kept:
            page.click("#save-picture")
        self.assertEqual(Path(kept.value.path()).read_bytes()[:4], b"\x89PNG")


if __name__ == "__main__":
    unittest.main()
