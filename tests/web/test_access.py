"""Every page is looked over by axe: nothing serious that would keep a person with a keyboard or a screen
reader from working."""
import re

from tests.web.browsing import InBrowser

GRAVE = ("serious", "critical")
# The first campaign's pages are all looked at; of the other kinds those that differ.
CAMPAIGNS = ("Courier drone wing section", "Ridge-line wing", "De-icing lance", "Snow-gun compressor")
BELOW = ("", "/aim", "/edit", "/variants/new", "/points/new", "/points/sweep", "/map", "/searches",
         "/searches/new", "/gallery", "/report", "/report.html")
OWN = ("", "/variants/new", "/map")


class EveryPage(InBrowser):
    def setUp(self):
        super().setUp()
        from axe_playwright_python.sync_playwright import Axe
        self.axe, self.seen = Axe(), []

    def look(self, address, wait=400):
        self.page.goto(self.server.address + address)
        self.page.wait_for_timeout(wait)
        for found in self.axe.run(self.page).response["violations"]:
            if found["impact"] in GRAVE:
                self.seen += [
                    f"{address}: {found['id']}: {node['html'][:160]}" for node in found["nodes"][:3]
                ]

    def links(self, pattern):
        found = (a.get_attribute("href") for a in self.page.locator("a[href]").all())
        return [h for h in dict.fromkeys(found) if re.fullmatch(pattern, h)]

    def test_nothing_grave_on_any_page(self):
        # A colour that is on its way from one to another has the contrast of neither.
        self.page.emulate_media(reduced_motion="reduce")
        for address in ("/", "/queue", "/nowhere"):
            self.look(address)
        for name in CAMPAIGNS:
            self.page.goto(self.server.address + "/")
            self.page.click(f"h2 >> text='{name}'")
            self.page.wait_for_selector(".matrix")
            home = self.page.url[len(self.server.address):]
            sheet, runs = self.links(r"/sheet/\d+/\d+")[0], self.links(r"/runs/\d+")
            one, two = runs[0], runs[-1]
            variant = self.links(r"/delete/variant/\d+")[0]
            first = name == CAMPAIGNS[0]
            for below in BELOW if first else OWN:
                self.look(home + below, 200)
            for address in (sheet, one, f"{one}/flow"):
                self.look(address, 800)
            pair = f"{home}/compare?run={one.split('/')[-1]}&run={two.split('/')[-1]}"
            for address in (variant, f"{one}/curves", f"{sheet}/study", pair) if first else ():
                self.look(address, 400)
        self.page.goto(self.server.address + "/")
        self.page.click("h2 >> text='Avalanche blaster, its noise'")
        self.page.wait_for_selector(".matrix")
        self.look(self.links(r"/runs/\d+")[0] + "/noise", 800)
        self.assertEqual(self.seen, [], "\n".join(self.seen))
