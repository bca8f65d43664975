"""Refresh docs/screenshots from the demo data: ``.venv/bin/python tools/screenshots.py``."""
import sys
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT))

from playwright.sync_api import sync_playwright  # noqa: E402

from tests.web.browsing import CHROMIUM, FLAGS, Server  # noqa: E402


def bodies(page, server, shot):
    page.goto(server.address)
    page.click("text=Valley railcar nose")
    page.wait_for_selector(".matrix")
    home = page.url[len(server.address):]
    link = lambda row, word: page.locator(f"tr:has-text('{row}') td[data-cell]").first.locator(
        f"a:has-text('{word}')").get_attribute("href")
    one, two = (link(name, "flow").split("/")[2] for name in ("Blunt nose", "Long tail"))

    def look():
        page.select_option("#rake-kind", "disc")
        page.wait_for_selector("[data-of='streams']")
        page.fill("#rake-count", "40")
        page.fill("#line-width", "2.4")
        page.press("#rake-count", "Tab")
        page.wait_for_timeout(3000)
        page.evaluate("window.scrollTo(0, 0)")

    shot("body-flow", f"/runs/{two}/flow", "#flow[data-ready]", then=look)
    shot("body-compare", f"{home}/compare?run={one}&run={two}", "#pair[data-ready]", scroll=1160)


def wing(page, server, shot):
    page.goto(server.address)
    page.click("h2 >> text='Ridge-line wing'")
    page.wait_for_selector(".matrix")
    sheet = page.locator("tr:has-text('With winglets') a:has-text('sheet')").first.get_attribute("href")

    def grid():
        page.click("[data-tab=grid]")
        page.wait_for_timeout(2500)

    page.set_viewport_size({"width": 1280, "height": 1180})
    shot("wing-grid", sheet, "#preview[data-ready]", then=grid)
    page.set_viewport_size({"width": 1280, "height": 800})


def rows(page, server, shot):
    page.goto(server.address)
    page.click("h2 >> text='Snow-gun compressor'")
    page.wait_for_selector(".matrix")
    home = page.url[len(server.address):]
    cell = page.locator("tr:has-text('As planned') td[data-cell]").nth(4)
    links = {word: cell.locator(f"a:has-text('{word}')").get_attribute("href") for word in ("sheet", "flow")}
    shot("row-sheet", links["sheet"], "#drawing svg")
    shot("row-flow", links["flow"], "#stage[data-ready]")
    shot("row-map", home + "/map", "#map[data-ready]")


def nozzles(page, server, shot):
    def open_campaign(name):
        page.goto(server.address)
        page.click(f"h2 >> text='{name}'")
        page.wait_for_selector(".matrix")
        return page.url[len(server.address):]

    def flow_of(row, column):
        return page.locator(f"tr:has-text('{row}') td[data-cell]").nth(column).locator(
            "a:has-text('flow')").get_attribute("href")

    open_campaign("Avalanche blaster, its noise")
    shot("noise", flow_of("Convergent barrel", 2).replace("/flow", "/noise"), "#chart-signal .main-svg")
    home = open_campaign("De-icing lance")
    page.goto(f"{server.address}{home}/searches")
    shot("search", page.locator("table a").first.get_attribute("href"), "#scatter-0 .main-svg")


def moving(page, server, shot):
    """Loops of a pitching section, two variants at two frequencies; a wheel in the wind."""
    page.goto(server.address)
    page.click("h2 >> text='Courier drone section, pitching'")
    page.wait_for_selector(".matrix")
    home = page.url[len(server.address):]
    cells = [
        page.locator(f"tr:has-text('{row}') td[data-cell]").nth(column) for row in ("TMW-12", "Thinner")
        for column in (0, 1)
    ]
    chosen = [cell.locator("a:has-text('flow')").get_attribute("href").split("/")[2] for cell in cells]
    runs = "".join(f"&run={k}" for k in chosen)
    shot("motion", f"{home}/curves?what=loop:lift{runs}", "#chart[data-ready]")
    page.goto(server.address)
    page.click("h2 >> text='Ridge whirl'")
    page.wait_for_selector(".matrix")
    flow = page.locator("td[data-cell]").nth(1).locator("a:has-text('flow')").get_attribute("href")
    shot("wheel", flow + "?q=vorticity&streak=1", "#stage[data-ready]",
         then=lambda: page.wait_for_timeout(15_000))


def main():
    server = Server("--no-worker")
    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})

        def shot(name, path, ready, scroll=0, then=None):
            page.goto(server.address + path)
            page.wait_for_selector(ready)
            if then:
                then()
            page.wait_for_timeout(1500)
            page.mouse.wheel(0, scroll)
            page.wait_for_timeout(400)
            page.screenshot(path=ROOT / f"docs/screenshots/{name}.png")

        shot("campaigns", "/", ".card-sheet img")
        page.click("text=Courier drone wing section")
        page.wait_for_selector(".matrix")
        home = page.url[len(server.address):]
        cell = page.locator("tr:has-text('TMW-12') td[data-cell]").nth(2)
        sheet, flow = (cell.locator(f"a:has-text('{word}')").get_attribute("href")
                       for word in ("sheet", "flow"))
        other = page.locator("tr:has-text('Thinner') td[data-cell]").nth(2).locator(
            "a:has-text('flow')").get_attribute("href")
        one, two = flow.split("/")[2], other.split("/")[2]
        low = page.locator("tr:has-text('TMW-12') td[data-cell]").nth(0).locator(
            "a:has-text('flow')").get_attribute("href").split("/")[2]
        shot("matrix", home, ".matrix")
        shot("sheet", sheet, "#drawing svg", then=lambda: page.click("[data-tab=grid]"))
        shot("run", f"/runs/{one}", "#live canvas")
        shot("flow", flow + "?iso=1&stream=1", "#stage[data-ready]", then=lambda: page.mouse.move(420, 330))
        shot("curves", f"{home}/curves?run={low}&what=cp&table=1", "#chart[data-ready]")
        shot("compare", f"{home}/compare?run={one}&run={two}&mode=wiper", "#pair[data-ready]", scroll=470)
        page.goto(server.address)
        page.click("text=Courier drone, turbulent")
        page.wait_for_selector(".matrix")
        shot("polars", page.url[len(server.address):] + "/map", "#map[data-ready]")

        page.goto(server.address)
        page.click("text=Courier drone, turbulent")
        page.wait_for_selector(".matrix")
        shot("report", page.url[len(server.address):] + "/report.html", "main figure img")
        bodies(page, server, shot)
        wing(page, server, shot)
        moving(page, server, shot)
        nozzles(page, server, shot)
        rows(page, server, shot)
        browser.close()
    server.end()


if __name__ == "__main__":
    main()
