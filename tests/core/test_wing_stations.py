"""Wings of sections at stations: breaks, sections of their own, winglets, and what is refused."""
import unittest

import numpy as np

from tests.core.test_wall_layers import check_wing_grid
from ventaris.core.grids.wing_skin import wing_skin
from ventaris.core.look.silhouette import section_across
from ventaris.core.shapes.assembly import assemble, wing_form
from ventaris.core.shapes.surface import SurfaceError, inspect
from ventaris.core.sheet import SheetError
from ventaris.core.sheet.spaces import read_sheet
from ventaris.core.study.kinds.body.judge import judge_body
from ventaris.core.study.kinds.body.portrait import PORTRAIT
from ventaris.core.study.kinds.body.preflight import preflight_body
from ventaris.core.study.kinds.body.ready import prepare_body
from ventaris.core.study.progress import LevelResult

CRANKED = [{"y": 0, "chord": 1.2}, {"y": 1, "x": 0.5, "z": 0.05, "chord": 0.7, "form": "four-digit",
                                    "thickness": 0.1, "camber": 0.02},
           {"y": 3, "x": 1.1, "z": 0.2, "chord": 0.35, "twist": -3, "form": "four-digit", "thickness": 0.09,
            "camber": -0.03}]
WINGLET = [*CRANKED, {"y": 3.15, "x": 1.25, "z": 0.35, "chord": 0.28},
           {"y": 3.25, "x": 1.5, "z": 0.9, "chord": 0.15}]


def sheet_of(stations, **part):
    return read_sheet({
        "space": "body", "shape": {"parts": [{"name": "wing", "kind": "wing", "span": 6, "chord": 1, **part}],
                                   "stations": stations},
        "domain": {"half": "yes"}, "grid": {"level": "coarse", "budget": 60000},
        "air": {"motion": "speed", "speed": 44, "incidence": 4}})


def diamond(thickness):
    """Coordinates of a double wedge, from the tail over the upper side."""
    x = np.concatenate([np.linspace(1, 0, 21), np.linspace(0, 1, 21)[1:]])
    side = np.where(np.arange(41) < 20, 0.5, -0.5)
    return [(float(a), float(b)) for a, b in zip(x, side * thickness * (1 - np.abs(2 * x - 1)))]


class WingStations(unittest.TestCase):
    def test_two_stations_are_the_straight_wing(self):
        tip = 3 * np.tan(np.radians(30)) + 0.25 * (1 - 0.4)
        given = assemble(sheet_of([{"y": 0, "chord": 1}, {"y": 3, "x": tip, "chord": 0.4}]).shape)
        straight = assemble(sheet_of([], sweep=30, tip_share=0.4).shape)
        for name in ("upper", "lower"):
            places = [s.surface.only(s.surface.patch == s.surface.patches.index(f"wing main {name}"))
                      for s in (given, straight)]
            self.assertLess(places[1].tree.nearest(places[0].vertices)[0].max(), 2e-3)
        self.assertAlmostEqual(given.surface.volume[0] / straight.surface.volume[0], 1.0, delta=4e-3)
        self.assertAlmostEqual(given.planform.area, straight.planform.area, delta=2e-3)

    def test_surfaces_and_layers_of_breaks_and_winglets_are_closed_and_unfolded(self):
        for stations in (CRANKED, WINGLET):
            shape = sheet_of(stations).shape
            found = inspect(assemble(shape).surface)
            self.assertEqual((found.open_edges, found.flipped_edges, found.flat_triangles), (0, 0, 0))
            for half in (True, False):
                with self.subTest(stations=len(stations), half=half):
                    check_wing_grid(self, shape, half)

    def test_a_winglet_keeps_its_thickness_round_the_bend(self):
        surface = assemble(sheet_of([{"y": 0, "chord": 1}, {"y": 3, "chord": 1},
                                     {"y": 3, "z": 1, "chord": 1}], thickness=0.1).shape).surface
        high = surface.vertices[surface.vertices[:, 2] > 0.95]
        self.assertAlmostEqual(float(np.ptp(high[high[:, 1] > 0][:, 1])), 0.1, delta=1e-3)
        middle = surface.vertices[np.abs(surface.vertices[:, 1]) < 1e-9]
        self.assertAlmostEqual(float(np.ptp(middle[:, 2])), 0.1, delta=1e-3)

    def test_a_section_of_coordinates_stands_at_its_station(self):
        stations = [{"y": 0, "chord": 1, "form": "coordinates", "points": diamond(0.2)},
                    {"y": 2, "chord": 0.5, "form": "coordinates", "points": diamond(0.1)}]
        surface = assemble(sheet_of(stations).shape).surface
        for y, thick in ((0.0, 0.2), (1.0, 0.75 * 0.15), (2.0, 0.05)):
            ring = surface.vertices[np.abs(surface.vertices[:, 1] - y) < 1e-9]
            self.assertAlmostEqual(float(np.ptp(ring[:, 2])), thick, delta=2e-3)

    def test_the_section_in_a_plane_is_what_is_drawn_under_the_layers(self):
        corners = assemble(sheet_of(WINGLET).shape).surface.corners
        (loop, ) = section_across(corners, 0.02)
        self.assertAlmostEqual(float(np.ptp(loop[:, 0])), 1.2 - 0.5 * 0.02, delta=2e-3)
        self.assertLess(float(np.ptp(loop[:, 1])), 0.16)
        self.assertEqual(len(section_across(corners, 9.0)), 0)

    def test_bends_and_tips_get_narrow_cells_and_the_rest_does_not(self):
        form = wing_form(sheet_of(WINGLET).shape)
        skin = wing_skin(form, 0.1, True)
        y = np.unique(np.round(skin.points[skin.points[:, 2] < 0.1, 1], 6))
        self.assertGreater(np.diff(y[y < 2.5]).max(), 0.15)
        near = np.abs(form.along - form.along[2]) < 1e-9
        self.assertTrue(near.any())
        for station in form.quarter:
            self.assertLess(np.abs(skin.points[:, 1] - station[1]).min(), 0.06)

    def test_it_has_layers_a_flat_wake_and_a_note(self):
        setup = prepare_body(sheet_of(WINGLET))
        self.assertTrue(setup.is_layered)
        mesh = setup.generate(("coarse", ))["coarse"]
        self.assertTrue(mesh.is_layer.any())
        wake = setup.plan.zones[-1]
        self.assertLess(wake.heights[0] * setup.scale, 0.31 * setup.body.mean_chord)
        notes = [f.message for f in preflight_body(setup) if f.path == "shape.stations"]
        self.assertIn("follows its 5 sections", notes[0])
        self.assertIn("5 sections, span 6.5 m, 0.9 m up",
                      PORTRAIT.words(sheet_of(WINGLET).shape.model_dump()))

    def test_a_wing_that_lost_its_layers_is_doubted(self):
        setup = prepare_body(sheet_of(WINGLET))
        level = LevelResult("fine", 1, 1, 1e-6, True, 1.0, {"lift": 0.3}, {"lift": 1e-5}, [], [], {})
        judged = lambda which, notes: judge_body(which, level, {}, None, False, 20.0, (), notes)
        self.assertFalse(judged(setup, ()).doubtful)
        self.assertTrue(judged(setup.without_layers(), ("cubes",)).doubtful)
        self.assertFalse(judged(setup.without_layers(), ()).doubtful)

    def test_bad_stations_are_told(self):
        for stations, part, words in (
            (CRANKED[:1], {}, "two stations at least"), (CRANKED[1:], {}, r"first of them in the middle"),
            ([CRANKED[0], CRANKED[2], CRANKED[1]], {}, "from the middle outwards"),
            ([*CRANKED, CRANKED[-1]], {}, "each at a place of its own"),
            ([CRANKED[0], {"y": 0, "z": 1}, CRANKED[1]], {}, "straight up in the middle"),
            (CRANKED, {"flap_chord": 0.3}, "has a flap"),
            ([{**s, "part": "tail"} for s in CRANKED], {},
             "“tail” is not the name of a wing. There are: wing"),
            ([{**s, "form": "coordinates"} for s in CRANKED], {}, "has no coordinates"),
            ([{"y": 0, "chord": 0}, CRANKED[1]], {}, "chord"),
            (CRANKED, {"kind": "box"}, "none; add a part")):
            with self.subTest(words=words), self.assertRaisesRegex(SheetError, words):
                sheet_of(stations, **part)
        few = [CRANKED[0], {**CRANKED[1], "form": "coordinates", "points": diamond(0.1)[:5]}]
        with self.assertRaisesRegex(SurfaceError, "section at y = 1 m: Only 5 different points"):
            assemble(sheet_of(few).shape)
