"""The real interface, driven in a headless browser: coordinates -> run -> look -> variant -> compare."""
import re
import tempfile
from pathlib import Path

import numpy as np

from tests.web.browsing import InBrowser
from ventaris.core.shapes.families import four_digit


class WholePath(InBrowser):
    def type_into(self, name, value):
        self.page.fill(f"[name='{name}']", value)
        self.page.press(f"[name='{name}']", "Tab")

    def test_from_coordinates_to_a_compared_answer(self):
        page = self.page
        self.go("/")
        page.fill("#name", "Browser campaign")
        page.fill("#question", "Does the flap help?")
        page.click("text=Begin")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "section.dat"
            path.write_text("my section\n" + "\n".join(f"{1000 * x:.4f}\t{1000 * y:.4f}"
                                                       for x, y in four_digit(0.12)[::-1]))
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
        self.type_into("air.incidence", "90")
        page.wait_for_selector("[data-problem='air.incidence']:not([hidden])")
        self.assertIn("-30 to 30", page.inner_text("[data-problem='air.incidence']"))
        self.type_into("air.incidence", "2")
        page.wait_for_selector("#saved:has-text('saved')")
        # New campaigns start turbulent.
        self.assertEqual(page.input_value("[name='flow.model']"), "turbulent")
        page.select_option("[name='flow.model']", "inviscid")
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
        self.type_into("shape.edits.flap_deflection", "6 deg")
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
        self.page.fill("#find", "wing drone")
        self.assertIn("of", self.page.inner_text("#found"))
        self.assertTrue(self.page.locator("h2 >> text='Courier drone wing section'").is_visible())
        self.assertFalse(self.page.locator("h2 >> text='De-icing lance'").is_visible())
        self.page.click("text=Courier drone wing section")
        self.page.wait_for_selector(".matrix")
        self.assertEqual(self.page.locator(".state.settled").count(), 9)
        self.page.locator("a:has-text('flow')").first.click()
        self.page.wait_for_selector("#stage[data-ready]")
        self.page.locator("a:has-text('Curves')").first.click()
        self.page.wait_for_selector("#chart[data-ready]")

    def test_a_moving_section_plays_and_is_ridden_along(self):
        self.go("/")
        self.page.click("h2 >> text='Courier drone section, pitching'")
        self.page.wait_for_selector(".matrix")
        self.page.locator("td[data-cell]").first.locator("a:has-text('flow')").click()
        self.page.wait_for_selector("#stage[data-ready]")
        look = "document.querySelector('#stage canvas').toDataURL()"
        pictures = [self.page.evaluate(look)]
        self.page.evaluate("const s = document.getElementById('frame'); s.value = 6; "
                           "s.dispatchEvent(new Event('input'))")
        self.page.wait_for_function(f"seen => {look} !== seen", arg=pictures[0])
        pictures.append(self.page.evaluate(look))
        self.page.click("[data-toggle=riding]")
        self.page.wait_for_function(f"seen => {look} !== seen", arg=pictures[1])
        self.page.wait_for_url(re.compile("riding=1"))
        self.page.locator("a:has-text('Curves')").first.click()
        self.page.wait_for_selector("#chart[data-ready]")
        self.page.select_option("#what", "loop:lift")
        self.page.wait_for_selector("#chart:has-text('Angle in degrees')")

    def open_demo_flow(self, query=""):
        """The flow view of the drone's baseline at its dash."""
        self.go("/")
        self.page.click("text=Courier drone wing section")
        link = self.page.locator("tr:has-text('TMW-12') td[data-cell]").nth(2).locator(
            "a:has-text('flow')").get_attribute("href")
        self.go(link + query)
        self.page.wait_for_selector("#stage[data-ready]")
        return link

    def test_the_picture_is_in_the_address_and_comes_back(self):
        page = self.page
        self.open_demo_flow()
        page.select_option("#quantity", "cp")
        page.fill("#low", "-1")
        page.fill("#high", "0.5")
        page.press("#high", "Enter")
        page.click("[data-toggle='grid']")
        page.click("[data-view='nose']")
        page.wait_for_url(re.compile("q=cp.*grid=1.*low=-1.*high=0.5.*view=0.03"))
        page.goto(page.url)
        page.wait_for_selector("#stage[data-ready]")
        self.assertEqual(page.input_value("#quantity"), "cp")
        self.assertEqual(page.input_value("#low"), "-1")
        self.assertEqual(page.get_attribute("[data-toggle='grid']", "aria-pressed"), "true")
        self.assertIn("0.5", page.inner_text("[data-legend]"))
        # The range stays locked when the field changes, and can be freed.
        page.select_option("#quantity", "mach")
        page.wait_for_url(re.compile("q=mach.*low=-1"))
        page.click("[data-range='auto']")
        page.wait_for_selector("[data-toggle='lock'][aria-pressed='false']")
        self.assertNotEqual(page.input_value("#low"), "-1")

    def test_the_keyboard_moves_and_zooms_the_picture_and_reads_it(self):
        page = self.page
        self.open_demo_flow("?q=mach")
        page.focus("#stage canvas")
        for key in ("+", "+", "ArrowUp", "ArrowUp"):
            page.keyboard.press(key)
        page.wait_for_selector("#reading:has-text('Temperature')")
        page.wait_for_url(re.compile("view=0.52%2C0\\.1"))
        page.keyboard.press("f")
        page.wait_for_url(re.compile("view=0.52%2C0%2C2.1"))

    def test_the_reading_under_the_cursor_is_the_flow(self):
        page = self.page
        self.open_demo_flow("?q=mach&view=-20,0,2")
        box = page.locator("#stage canvas").bounding_box()
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.wait_for_selector("#reading:has-text('Mach number')")
        row = page.locator("#reading tr:has-text('Mach number') td").nth(1).inner_text()
        # Twenty chords ahead of the section the stream is hardly disturbed.
        self.assertAlmostEqual(float(row), 0.73, delta=0.01)

    def test_two_tabs_meet_in_a_question_and_nothing_typed_is_lost(self):
        page, other = self.page, self.browser.new_page()
        self.addCleanup(other.close)
        self.go("/")
        page.click("text=Dash vane, double wedge")
        sheet = page.locator("tr:has-text('Wedge 6') a:has-text('sheet')").get_attribute("href")
        for tab in (page, other):
            tab.goto(self.server.address + sheet)
            tab.wait_for_selector("#drawing svg")
        self.type_into("shape.thickness", "0.065")
        page.wait_for_selector("#saved:has-text('saved')")
        other.fill("[name='shape.thickness']", "0.07")
        other.press("[name='shape.thickness']", "Tab")
        other.wait_for_selector("text=changed in another window")
        self.assertEqual(other.input_value("[name='shape.thickness']"), "0.07")
        self.assertTrue(other.is_disabled("[data-start]"))
        other.click("[data-force]")
        other.wait_for_selector("[data-start]:not([disabled])")
        page.goto(self.server.address + sheet)
        self.assertEqual(page.input_value("[name='shape.thickness']"), "0.07")

    def test_an_upload_that_is_too_large_is_refused_before_it_is_sent(self):
        page = self.page
        self.go("/")
        page.click("text=Dash vane, double wedge")
        page.click("text=Variant >> nth=0")
        page.fill("#name", "kept name")
        page.select_option("#source", "coordinates")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "big.dat"
            path.write_bytes(b"0.1 0.2\n" * 1_200_000)
            page.set_input_files("#file", str(path))
            page.click("text=Add and open its sheet")
            page.wait_for_selector("#notices .notice.bad")
        self.assertIn("at most 8 MB", page.inner_text("#notices"))
        self.assertEqual(page.input_value("#name"), "kept name")

    def test_fields_that_do_not_apply_are_hidden(self):
        page = self.page
        self.go("/")
        page.click("text=Courier drone wing section")
        page.goto(self.server.address + page.locator("a:has-text('sheet')").first.get_attribute("href"))
        page.wait_for_selector("#drawing svg")
        self.assertFalse(page.is_visible("[name='air.reynolds']"))
        page.select_option("[name='air.viscosity_law']", "from Reynolds number")
        page.wait_for_selector("[name='air.reynolds']")
        self.assertFalse(page.is_visible("[name='flow.trip']"))
        page.select_option("[name='flow.model']", "turbulent")
        page.wait_for_selector("[name='flow.trip']")
        page.select_option("[name='flow.model']", "inviscid")
        page.select_option("[name='air.viscosity_law']", "sutherland")
        page.wait_for_selector("#saved:has-text('saved')")

    def test_elements_a_plan_and_a_formula_are_made_on_the_sheet(self):
        page = self.page
        self.go("/")
        page.fill("#name", "Flap by hand")
        page.click("text=Begin")
        page.fill("#name", "base")
        page.click("text=Add and open its sheet")
        page.fill("#name", "slow")
        page.fill("#speed", "30")
        page.click("text=Add and open its sheet")
        page.wait_for_selector("#drawing svg")
        page.click("[data-rows='shape.elements'] [data-add-row]")
        page.wait_for_selector("#drawing svg text:has-text('flap')")
        gap = page.locator("[name='shape.elements[].gap']").first
        gap.fill("much")
        gap.press("Tab")
        page.wait_for_selector(".problem:has-text('is not a number')")
        gap.fill("3 %")
        gap.press("Tab")
        page.wait_for_selector("#saved:has-text('saved') >> nth=0")
        page.select_option("[name='flow.model']", "turbulent")
        page.click("[data-plan]")
        page.click("[data-fill]")
        self.wait_until(lambda: page.input_value("[name='grid.planned_speed']") == "30")
        page.click("[data-rows='instruments.formulas'] [data-add-row]")
        page.wait_for_selector("#saved:has-text('saved')")
        page.reload()
        self.assertEqual(page.input_value("[name='instruments.formulas[].expression']"), "lift / drag")
        self.assertEqual(page.input_value("[name='shape.elements[].gap']"), "0.03")
        page.click("[data-rows='shape.elements'] [data-drop-row]")
        self.wait_until(lambda: "flap" not in page.locator("#drawing").text_content())

    def test_boundary_layer_wake_and_frames_at_a_click(self):
        page = self.page
        self.go("/")
        page.click("text=Snow-kart rear wing")
        page.goto(self.server.address + page.locator("a:has-text('flow')").first.get_attribute("href"))
        page.wait_for_selector("#stage[data-ready]")
        page.mouse.click(450, 420)
        page.wait_for_selector("#profile svg")
        page.fill("#wake-x", "2")
        page.click("#survey")
        page.wait_for_selector("#wake svg")
        self.go("/")
        page.click("text=Cable pylon with blowing slots, in time")
        page.goto(self.server.address + page.locator("a:has-text('flow')").first.get_attribute("href"))
        page.wait_for_selector("#stage[data-ready]")
        before = page.inner_text("#frame-time")
        page.click("#play")
        self.wait_until(lambda: page.inner_text("#frame-time") != before)

    def test_a_microphone_is_placed_by_clicking(self):
        page = self.page
        page.goto(self.server.address)
        page.locator("a", has_text="Avalanche blaster, its noise").first.click()
        page.wait_for_selector("table.matrix, .matrix")
        page.goto(page.evaluate("document.querySelector('a[href^=\"/sheet/\"]').href"))
        page.click('[data-tab="instruments"]')
        page.wait_for_selector("svg[data-place]")
        before = page.locator("[name='instruments.microphones[].name']").count()
        box = page.locator("svg[data-place]").bounding_box()
        page.mouse.click(box["x"] + 0.5 * box["width"], box["y"] + 0.6 * box["height"])
        self.wait_until(lambda: page.locator("[name='instruments.microphones[].name']").count() == before + 1)
        self.assertGreater(float(page.locator("[name='instruments.microphones[].r']").last.input_value()),
                           0.05)
        self.wait_until(lambda: page.locator("svg[data-place] circle").count() == before + 1)

    def test_what_is_typed_before_the_scripts_arrive_is_saved(self):
        page, held = self.page, []
        self.open_a_sheet_of_its_own("Slow line")
        page.route("**/htmx.min.js*", lambda route: held.append(route))
        page.reload(wait_until="commit")
        self.type_into("grid.around", "416")
        self.wait_until(lambda: held)
        held[0].continue_()
        page.unroute("**/htmx.min.js*")
        page.wait_for_selector(".cost:has-text('32 768')")
        page.wait_for_selector("#saved:has-text('saved')")
        page.reload()
        self.assertEqual(page.input_value("[name='grid.around']"), "416")

    def test_a_run_does_not_start_with_a_change_that_could_not_be_saved(self):
        page = self.page
        self.open_a_sheet_of_its_own("Cut line")
        address = page.url
        page.route("**/sheet/**", lambda route: route.abort())
        page.fill("[name='grid.around']", "416")
        page.click("[data-start]")
        page.wait_for_selector("#saved:has-text('not saved')")
        page.wait_for_selector("[data-start]:not([disabled])")
        self.assertEqual(page.url, address)
        self.assertIn("What you typed is still here", page.inner_text("#notices"))
        page.unroute("**/sheet/**")
        self.type_into("grid.layers", "64")
        page.wait_for_selector("#saved:has(svg)")
        page.reload()
        self.assertEqual(page.input_value("[name='grid.around']"), "416")

    def hold_saving(self):
        """The requests that store the open sheet, each held back until it is continued."""
        held, address = [], self.page.url
        self.page.route(
            address, lambda route: held.append(route)
            if route.request.method == "POST" else route.continue_())
        return held

    def test_saved_is_not_said_while_a_later_change_waits(self):
        page = self.page
        self.open_a_sheet_of_its_own("Two changes")
        held = self.hold_saving()
        self.type_into("grid.around", "416")
        self.wait_until(lambda: len(held) == 1)
        self.type_into("grid.layers", "64")
        held[0].continue_()
        # The second goes out after the answer to the first.
        self.wait_until(lambda: len(held) == 2)
        self.assertEqual(page.inner_text("#saved"), "saving")
        held[1].continue_()
        page.wait_for_selector("#saved:has(svg)")
        page.reload()
        self.assertEqual([page.input_value(f"[name='grid.{name}']") for name in ("around", "layers")],
                         ["416", "64"])

    def test_a_link_followed_at_once_waits_for_the_change(self):
        page = self.page
        self.open_a_sheet_of_its_own("In a hurry")
        sheet, held = page.url, self.hold_saving()
        self.type_into("grid.around", "416")
        page.click("nav >> text=In a hurry")
        self.wait_until(lambda: held)
        self.assertEqual(page.url, sheet)
        held[0].continue_()
        page.wait_for_selector(".matrix")
        page.unroute(sheet)
        page.goto(sheet)
        self.assertEqual(page.input_value("[name='grid.around']"), "416")

    def test_who_leaves_a_change_that_is_not_stored_is_asked(self):
        page, asked = self.page, []
        self.open_a_sheet_of_its_own("Leaving")
        sheet = page.url
        page.on("dialog", lambda dialog: (asked.append(dialog.type), dialog.dismiss()))
        self.type_into("air.incidence", "90")
        page.wait_for_selector("[data-problem='air.incidence']:not([hidden])")
        page.click("nav >> text=Leaving")
        self.wait_until(lambda: asked)
        self.assertEqual((asked, page.url), (["beforeunload"], sheet))
        self.type_into("air.incidence", "2")
        page.wait_for_selector("#saved:has(svg)")
        page.click("nav >> text=Leaving")
        page.wait_for_selector(".matrix")
        self.assertEqual(len(asked), 1)

    def test_fields_that_do_not_act_are_not_shown(self):
        page = self.page
        self.go("/")
        page.locator("a", has_text="Avalanche blaster, its noise").first.click()
        page.wait_for_selector(".matrix")
        self.go(page.locator("a[href^='/sheet/']").first.get_attribute("href"))
        page.wait_for_selector("#drawing svg")
        for hidden in ("grid.along", "domain.reach", "run.steps", "air.turbulence_intensity"):
            self.assertFalse(page.is_visible(f"[name='{hidden}']"), hidden)
        self.assertTrue(page.is_visible("[data-rows='instruments.microphones']"))
        for steady_only in ("stations", "probes"):
            self.assertFalse(page.is_visible(f"[data-rows='instruments.{steady_only}']"), steady_only)
        # Of a jet in time what is kept, and its cores, are asked for; nothing of the domain.
        self.assertEqual(page.locator(".unneeded:visible").count(), 1)
        page.select_option("[name='flow.exit_profile']", "computed")
        for seen in ("grid.along", "run.steps", "air.turbulence_intensity"):
            self.assertTrue(page.is_visible(f"[name='{seen}']"), seen)
        # A field that only a hidden one asks for stays hidden with it.
        page.select_option("[name='flow.model']", "inviscid")
        self.assertFalse(page.is_visible("[name='air.turbulence_intensity']"))
        self.assertFalse(page.is_visible("[data-rows='instruments.microphones']"))
        self.assertEqual(page.locator(".unneeded:visible").count(), 0)

    def open_a_sheet_of_its_own(self, name):
        """The run sheet of the only variant and point of a new campaign."""
        page = self.page
        self.go("/")
        page.fill("#name", name)
        page.click("text=Begin")
        page.fill("#name", "base")
        page.click("text=Add and open its sheet")
        page.fill("#name", "fast")
        page.fill("#mach", "0.8")
        page.click("text=Add and open its sheet")
        page.wait_for_selector("#drawing svg")
        page.select_option("[name='flow.model']", "inviscid")
        page.wait_for_selector("#saved:has(svg)")
        page.wait_for_selector(".cost:has-text('19 456')")

    def test_a_run_can_be_paused_and_resumed_from_the_page(self):
        page = self.page
        self.open_a_sheet_of_its_own("Long run")
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
