"""The real interface, driven in a headless browser: coordinates -> run -> look -> variant -> compare."""
import os
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np

from tests.marks import slow
from ventaris.core.shapes.families import four_digit

CHROMIUM = shutil.which("chromium") or shutil.which("chromium-browser")
FLAGS = ["--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--ignore-gpu-blocklist", "--disable-background-networking",
         "--disable-component-update", "--disable-sync", "--no-first-run"]


class Server:
    """`ventaris serve` on a free port and a temporary folder."""

    def __init__(self, *options):
        self.folder = tempfile.TemporaryDirectory()
        self.process = subprocess.Popen([sys.executable, "-m", "ventaris.cli", "serve", "--port", "0", "--data", self.folder.name, *options],
                                        stdout=subprocess.PIPE, text=True, start_new_session=True)
        for line in self.process.stdout:
            found = re.search(r"http://\S+", line)
            if found:
                self.address = found[0]
                return
        raise RuntimeError("the server did not start")

    def end(self):
        self.process.send_signal(signal.SIGTERM)
        try:
            self.process.wait(15)
        except subprocess.TimeoutExpired:
            os.killpg(self.process.pid, signal.SIGKILL)
        self.process.stdout.close()
        self.folder.cleanup()


@slow
@unittest.skipUnless(CHROMIUM, "needs Debian's chromium")
class WholePath(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        from playwright.sync_api import sync_playwright
        cls.server = Server()
        cls.play = sync_playwright().start()
        cls.browser = cls.play.chromium.launch(executable_path=CHROMIUM, args=FLAGS)

    @classmethod
    def tearDownClass(cls):
        cls.browser.close()
        cls.play.stop()
        cls.server.end()

    def setUp(self):
        self.page = self.browser.new_page(viewport={"width": 1280, "height": 800})
        self.page.set_default_timeout(60_000)
        self.errors = []
        self.page.on("pageerror", lambda error: self.errors.append(str(error)))
        self.page.on("console", lambda message: self.errors.append(message.text) if message.type == "error" and "Content Security" in message.text else None)
        self.addCleanup(self.page.close)

    def tearDown(self):
        self.assertEqual(self.errors, [])

    def go(self, path):
        self.page.goto(self.server.address + path)

    def test_from_coordinates_to_a_compared_answer(self):
        page = self.page
        self.go("/")
        page.fill("#name", "Browser campaign")
        page.fill("#question", "Does the flap help?")
        page.click("text=Begin")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "section.dat"
            path.write_text("my section\n" + "\n".join(f"{1000 * x:.4f}\t{1000 * y:.4f}" for x, y in four_digit(0.12)[::-1]))
            page.fill("#name", "imported")
            page.select_option("#source", "coordinates")
            page.set_input_files("#file", str(path))
            page.select_option("#unit", "mm")
            page.click("text=Add and open its sheet")
        page.fill("#name", "cruise")
        page.fill("#mach", "0.3")
        page.fill("#incidence", "2 deg")
        page.click("text=Add and open its sheet")
        # The sheet: a change is saved at once; a mistake is named at its field.
        page.wait_for_selector("#drawing svg")
        self.assertEqual(page.input_value("[name='shape.chord']"), "1")
        page.fill("[name='air.incidence']", "90")
        page.press("[name='air.incidence']", "Tab")
        page.wait_for_selector("[data-problem='air.incidence']:not([hidden])")
        self.assertIn("-30 to 30", page.inner_text("[data-problem='air.incidence']"))
        page.fill("[name='air.incidence']", "2")
        page.press("[name='air.incidence']", "Tab")
        page.wait_for_selector("#saved:has-text('saved')")
        page.select_option("[name='grid.level']", "medium")
        page.wait_for_selector("text=cells on the finest level")
        page.wait_for_selector(".cost:has-text('4 864')")
        page.click("[data-start]")
        # The run page follows the run without a reload.
        page.wait_for_url("**/runs/*")
        run_url = page.url
        page.wait_for_selector(".verdict.settled")
        self.assertIn("Settled on the medium grid", page.inner_text(".verdict"))
        page.wait_for_selector("#live canvas")
        page.wait_for_selector("#chart-forces .trace")
        # Look.
        page.click("a:has-text('Flow')")
        page.wait_for_selector("#stage[data-ready]")
        box = page.locator("#stage canvas").bounding_box()
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 40)
        page.wait_for_selector("#reading:has-text('Mach number')")
        page.click("[data-toggle='stream']")
        page.select_option("#quantity", "cp")
        page.wait_for_url(re.compile("q=cp.*stream=1"))
        self.assertPictureIsDrawn("#stage canvas")
        # A variant with a flap, run from the matrix.
        page.click("text=Browser campaign")
        page.click("a[aria-label='New variant from imported']")
        page.fill("#name", "flapped")
        page.click("text=Add and open its sheet")
        page.fill("[name='shape.edits.flap_deflection']", "6 deg")
        page.press("[name='shape.edits.flap_deflection']", "Tab")
        page.wait_for_selector("#saved:has-text('saved')")
        page.click("nav >> text=Browser campaign")
        page.click("text=Run what is missing (1)")
        page.wait_for_selector("tr:has-text('flapped') .state.settled")
        page.check("tr:has-text('imported') [data-run]")
        page.check("tr:has-text('flapped') [data-run]")
        page.click("text=Compare selected")
        page.wait_for_selector("#pair[data-ready='pair']")
        self.assertIn("Flap deflection", page.inner_text("main"))
        self.assertPictureIsDrawn("#stage-0 canvas")
        self.assertPictureIsDrawn("#stage-1 canvas")
        page.click("text=difference >> nth=-1")
        page.wait_for_selector("#pair[data-ready='difference']")
        page.go_back()
        page.wait_for_selector(".matrix")
        self.assertTrue(run_url)

    def assertPictureIsDrawn(self, selector):
        """The canvas shows many colours: something is really drawn."""
        from io import BytesIO

        from matplotlib.image import imread
        pixels = imread(BytesIO(self.page.locator(selector).screenshot()))[..., :3]
        colours = np.unique((pixels[::7, ::7] * 255).astype(int).reshape(-1, 3), axis=0)
        self.assertGreater(len(colours), 8)

    def test_demo_is_ready_and_every_view_opens(self):
        self.go("/")
        self.page.wait_for_selector("text=Courier drone wing section")
        self.page.click("text=Courier drone wing section")
        self.page.wait_for_selector(".matrix")
        self.assertEqual(self.page.locator(".state.settled").count(), 9)
        self.page.locator("a:has-text('flow')").first.click()
        self.page.wait_for_selector("#stage[data-ready]")
        self.page.locator("a:has-text('Curves')").first.click()
        self.page.wait_for_selector("#chart[data-ready]")

    def test_a_run_can_be_paused_and_resumed_from_the_page(self):
        page = self.page
        self.go("/")
        page.fill("#name", "Long run")
        page.click("text=Begin")
        page.fill("#name", "base")
        page.click("text=Add and open its sheet")
        page.fill("#name", "fast")
        page.fill("#mach", "0.8")
        page.click("text=Add and open its sheet")
        for name, value in (("grid.around", "416"), ("grid.layers", "128"), ("grid.wake", "96")):
            page.fill(f"[name='{name}']", value)
            page.press(f"[name='{name}']", "Tab")
        page.wait_for_selector(".cost:has-text('77 824')")
        page.click("[data-start]")
        page.click("button:has-text('Pause')")
        page.wait_for_selector("#panel .state.paused")
        page.click("button:has-text('Resume')")
        page.wait_for_selector("#panel .state.running")
        page.click("button:has-text('Stop')")
        page.wait_for_selector("#panel .state.stopped")
        self.assertIn("Stopped by hand", page.inner_text("#panel"))
