"""Every page is looked over by axe: nothing serious that would keep a person with a keyboard or a screen
reader from working."""
import re

from tests.marks import slow
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
        self.judge(address, wait)

    def judge(self, address, wait=400):
        """The page as it stands now; `address` says which, in words."""
        self.page.wait_for_timeout(wait)
        for found in self.axe.run(self.page).response["violations"]:
            if found["impact"] in GRAVE:
                self.seen += [
                    f"{address}: {found['id']}: {node['html'][:160]}" for node in found["nodes"][:3]
                ]

    def links(self, pattern):
        found = (a.get_attribute("href") for a in self.page.locator("a[href]").all())
        return [h for h in dict.fromkeys(found) if re.fullmatch(pattern, h)]

    def open(self, name):
        """The address of a campaign's matrix, which is shown."""
        self.page.goto(self.server.address + "/")
        self.page.click(f"h2 >> text='{name}'")
        self.page.wait_for_selector(".matrix")
        return self.page.url[len(self.server.address):]

    @slow
    def test_nothing_grave_in_any_state(self):
        page = self.page
        page.emulate_media(reduced_motion="reduce")
        home = self.open("Courier drone, turbulent")
        sheet, run = self.links(r"/sheet/\d+/\d+")[0], self.links(r"/runs/\d+/flow")[0]
        two = [link.split("/")[2] for link in self.links(r"/runs/\d+")[:2]]
        self._flow(run)
        self._sheet(sheet)
        page.goto(self.server.address + f"{home}/compare?run={two[0]}&run={two[1]}")
        page.wait_for_selector("#pair[data-ready]")
        page.click("[data-mode=wiper]")
        page.wait_for_selector("#pair[data-ready=wiper]")
        self.judge("compare, wiper")
        for what in ("/curves", "/edit"):
            self.look(home + what)
        self.open("Courier drone wing section")
        self.look(self.page.url[len(self.server.address):] + "/curves")
        self.look(self.links(r"/measured/\d+")[0])
        self.look("/help/")
        self.look("/help/using", 200)

        home = self.open("De-icing lance")
        self.look(home + "/searches")
        for link in self.links(r"/searches/\d+")[:1]:
            self.look(link, 800)
        self.open("Ridge-line wing")
        self._body(self.links(r"/runs/\d+/flow")[0])
        self.open("Courier drone section, pitching")
        self.look(self.links(r"/runs/\d+/flow")[0], 800)
        self.assertEqual(self.seen, [], "\n".join(self.seen))

    def _flow(self, address):
        """The flow view with everything that can be shown over it, and a view kept of it."""
        page = self.page
        page.goto(self.server.address + address)
        page.wait_for_selector("#stage[data-ready]")
        for toggle in ("stream", "vectors", "seed"):
            page.click(f"[data-toggle={toggle}]")
        page.select_option("#stream-by", "cp")
        page.locator("#stage canvas").click(position={"x": 200, "y": 120})
        page.wait_for_selector("[data-grip=seed-0]")
        page.fill("#line-0", "0, 0.5")
        page.fill("#line-1", "1, 0.5")
        page.click("#survey")
        page.fill("#keep [name=name]", "All of it")
        page.click("#keep button")
        page.wait_for_selector("#kept a")
        self.judge("flow with lines, grips and a wake", 1500)
        page.click("#kept a")
        self.judge("gallery with a view", 1500)

    def _sheet(self, address):
        """The sheet with a setting looked for, with mistakes, with rows added and with a folded section."""
        page = self.page
        page.goto(self.server.address + address)
        page.wait_for_selector("#drawing svg")
        page.fill("#find-setting", "gap")
        self.judge("sheet, looking for a setting")
        page.fill("#find-setting", "")
        page.click("[data-rows='instruments.probes'] [data-add-row]")
        page.click("[data-tab=instruments]")
        page.wait_for_selector("#drawing .handle")
        page.locator("[data-fold]").first.click()
        page.locator("[data-more]:visible").first.click()
        self.judge("sheet with a probe, folded and unfolded")
        page.fill("[name='air.incidence']", "much")
        page.keyboard.press("Tab")
        page.wait_for_selector("#problem-list li", state="attached")
        self.judge("sheet with a mistake", 800)

    def _body(self, address):
        """A body's flow with a rake, an iso-surface and the domain."""
        page = self.page
        page.goto(self.server.address + address)
        page.wait_for_selector("#flow[data-ready]")
        page.select_option("#rake-kind", "disc")
        page.wait_for_selector("[data-of=streams]")
        page.select_option("#iso", "loss")
        page.click("[data-toggle=domain]")
        page.locator("details summary").first.click()
        page.fill("#keep [name=name]", "")
        page.click("#keep button")
        self.judge("a body's flow with everything", 2000)

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
