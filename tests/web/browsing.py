"""A served laboratory and a headless browser, for the tests of the real interface."""
import os
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import unittest

from tests.marks import slow

CHROMIUM = shutil.which("chromium") or shutil.which("chromium-browser")
FLAGS = [
    "--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--ignore-gpu-blocklist",
    "--disable-background-networking", "--disable-component-update", "--disable-sync", "--no-first-run"
]


class Server:
    """`ventaris serve` on a free port and a temporary folder."""
    def __init__(self, *options):
        self.folder = tempfile.TemporaryDirectory()
        self.process = subprocess.Popen([
            sys.executable, "-m", "ventaris.cli", "serve", "--port", "0", "--data", self.folder.name, *options
        ], stdout=subprocess.PIPE, text=True, start_new_session=True)
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
class InBrowser(unittest.TestCase):
    """A served laboratory and a page of a headless browser, which must not report an error."""

    options = ()

    @classmethod
    def setUpClass(cls):
        from playwright.sync_api import sync_playwright
        cls.server = Server(*cls.options)
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
        self.page.on(
            "console", lambda message: self.errors.append(message.text)
            if message.type == "error" and "Content Security" in message.text else None)
        self.addCleanup(self.page.close)

    def tearDown(self):
        self.assertEqual(self.errors, [])

    def wait_until(self, condition, seconds=30):
        for _ in range(10 * seconds):
            if condition():
                return
            self.page.wait_for_timeout(100)
        self.fail("waited too long")

    def go(self, path):
        self.page.goto(self.server.address + path)
