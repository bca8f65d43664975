import re
import unittest

import numpy as np
from scipy.spatial import cKDTree

from tests.marks import slow
from tests.sheets import run
from ventaris.core.grids.layers import path_with_wake, plain_path, plant_columns
from ventaris.core.grids.mesh import MeshError
from ventaris.core.grids.quality import skewness
from ventaris.core.grids.sizing import Zone
from ventaris.core.sheet import SheetError, differing_inputs, read_sheet, read_toml, write_toml
from ventaris.core.sheet.model import Shape
from ventaris.core.shapes.build import build
from ventaris.core.shapes.coordinates import ShapeError, read_outlines
from ventaris.core.shapes.outline import Outline, crossing, holds
from ventaris.core.shapes.families import ellipse, four_digit
from ventaris.core.shapes.section import Section, elements_beside
from ventaris.core.study.checks import examine
from ventaris.core.study.kinds.section.planner import plan_layer
from ventaris.core.study.setup import prepare

FLAP = {"name": "flap", "chord": 0.3, "deflection": 25, "gap": 0.02, "overlap": 0.01}
SLAT = {"name": "slat", "role": "slat", "chord": 0.15, "deflection": 20, "gap": 0.02, "overlap": -0.01}
SMALL = {"level": "coarse", "around": 96, "layers": 8}


def made(**shape):
    return build(Shape(**shape))


def sheet(**sections):
    return read_sheet({"format": 1, "grid": SMALL, "air": {"speed": 40, "incidence": 3}, **sections})


class Elements(unittest.TestCase):
    def test_slots_have_the_gap_and_overlap_asked_for(self):
        for gap, overlap, deflection in ((0.02, 0.01, 25), (0.035, -0.01, 40), (0.01, 0.02, 5)):
            built = made(elements=[{**FLAP, "gap": gap, "overlap": overlap, "deflection": deflection}])
            main, flap = (o.polygon(4000) for o in built.outlines())
            self.assertAlmostEqual(float(cKDTree(flap).query([1.0, 0.0])[0]), gap, delta=3e-4)
            self.assertAlmostEqual(1.0 - flap[:, 0].min(), overlap, delta=1e-3)
            self.assertLess(flap[:, 1].mean(), main[:, 1].mean())

    def test_a_slat_stands_ahead_and_flaps_hang_on_each_other(self):
        built = made(elements=[SLAT, FLAP, {**FLAP, "name": "second", "chord": 0.2, "deflection": 40}])
        main, slat, flap, second = (o.polygon(2000) for o in built.outlines())
        self.assertLess(slat[:, 0].max(), main[:, 0].min() + 1e-3)
        self.assertGreater(second[:, 0].min(), flap[:, 0].mean())
        self.assertAlmostEqual(float(cKDTree(main).query(built.outlines()[1].trailing_edge)[0]), 0.02,
                               delta=5e-4)

    def test_inverted_is_the_mirror_image(self):
        up, down = (made(camber=0.04, attitude=a, elements=[FLAP]).outlines()
                    for a in ("upright", "inverted"))
        for one, other in zip(up, down):
            np.testing.assert_allclose(
                one.polygon(300).min(0) * [1, -1],
                [other.polygon(300)[:, 0].min(),
                 other.polygon(300)[:, 1].max()], atol=1e-3)
            self.assertAlmostEqual(one.length, other.length, places=9)
        names = {t.name for t in down[0].stretches}
        self.assertEqual(names, {"main upper", "main lower"})

    def test_elements_that_overlap_are_named(self):
        with self.assertRaisesRegex(ShapeError, "second.*runs into.*x ="):
            made(elements=[{"name": "second", "role": "free", "x": 0.5, "y": 0.0}])
        # Wholly inside, tail on tail; and nose on tail.
        with self.assertRaisesRegex(ShapeError, "second.*runs into"):
            made(elements=[{"name": "second", "role": "free", "x": 0.7, "y": 0.0, "chord": 0.3}])
        with self.assertRaisesRegex(ShapeError, "second.*runs into.*move it"):
            made(elements=[{"name": "second", "role": "free", "x": 1.0, "y": 0.0, "chord": 0.3}])
        with self.assertRaisesRegex(ShapeError, "cannot have a gap"):
            made(elements=[{**FLAP, "gap": 0.01, "overlap": -0.3}])

    def test_names_must_differ(self):
        for elements in ([FLAP, FLAP], [{**FLAP, "name": "main"}]):
            with self.assertRaisesRegex(SheetError, "called|taken"):
                sheet(shape={"elements": elements})

    def test_toml_round_trip_keeps_elements_surfaces_and_actions(self):
        one = sheet(
            shape={
                "elements": [FLAP, SLAT],
                "surfaces": [{"name": "slot", "element": "flap", "start": 0.1, "end": 0.2}]
            }, air={"speed": 30, "walls": [{"surface": "slot",
                                            "speed": 5}]}, grid={"zones": [{"kind": "circle"}]},
            instruments={"formulas": [{"name": "glide", "expression": "lift / drag"}]})
        self.assertEqual(read_toml(write_toml(one)), one)


def written(loop, place=(0.0, 0.0), scale=1.0, turn=0.0):
    """A closed loop as lines of a file, and its points."""
    c, s = np.cos(turn), np.sin(turn)
    points = scale * np.asarray(loop) @ np.array([[c, s], [-s, c]]) + place
    points = np.concatenate([points, points[:1]])
    return "\n".join(f"{x:.9f} {y:.9f}" for x, y in points), points


class SeveralOutlines(unittest.TestCase):
    def setUp(self):
        ring = [(np.cos(a), np.sin(a)) for a in np.linspace(0, 2 * np.pi, 90)[:-1]]
        self.texts, self.points = zip(written(four_digit(0.15, 0.03)[:-1], (120.0, 40.0), 300.0, 0.1),
                                      written(ring, (520.0, 20.0), 35.0),
                                      written(four_digit(0.12)[:-1], (100.0, -80.0), 90.0, -0.6))
        self.chord = 300.0

    def test_each_stands_where_the_file_puts_it(self):
        for between in ("\n\n", "\nwheel\n"):
            (main, title), *others = read_outlines("Bench\n" + between.join(self.texts))
            self.assertEqual((title, len(others)), ("Bench", 2))
            elements = elements_beside(main, others)
            names = ["wheel", "element 3"] if "wheel" in between else ["element 2", "element 3"]
            self.assertEqual([e["name"] for e in elements], names)
            built = made(kind="coordinates", points=main.tolist(), elements=elements)
            outlines = [o.polygon(2000) for o in built.outlines(0.0)]
            # Where a point stands does not depend on the axes by its distances from two others.
            for mine, theirs in zip(outlines[1:], self.points[1:]):
                for k in (0, 1):
                    found = [cKDTree(outlines[0]).query(mine)[0], cKDTree(self.points[0]).query(theirs)[0]]
                    reach = [(f.min(), f.max())[k] for f in found]
                    self.assertAlmostEqual(reach[0] * self.chord, reach[1], delta=0.5)

    def test_what_is_wrong_names_the_outline(self):
        bad = "0 0\n1 1\n1 0\n0 1\n2 2\n3 1\n2 0\n1 -1\n0 0"
        with self.assertRaisesRegex(ShapeError, "Outline 2 of 2"):
            read_outlines(self.texts[0] + "\n\n" + bad)
        with self.assertRaisesRegex(ShapeError, "not two numbers"):
            read_outlines("0 0\n0.5 0.1\n1 0\nand so on\n0.5 -0.1")

    def test_two_sides_are_still_one_outline(self):
        upper, lower = "0 0\n0.3 0.1\n0.6 0.08\n0.8 0.04\n1 0", "0 0\n0.3 -0.1\n0.6 -0.08\n0.8 -0.04\n1 0"
        self.assertEqual(len(read_outlines(upper + "\n\n" + lower)), 1)


class Differences(unittest.TestCase):
    def test_a_changed_slot_is_a_changed_input(self):
        one, other = (sheet(shape={"elements": [{**FLAP, "gap": gap}]}) for gap in (0.02, 0.03))
        self.assertEqual(differing_inputs(one, other),
                         [("shape.elements.flap.gap", "flap: Slot gap", "0.02", "0.03")])
        fewer = sheet()
        self.assertEqual([d[0] for d in differing_inputs(one, fewer)], ["shape.elements"])
        self.assertEqual(differing_inputs(one, one), [])
        blown = [sheet(air={"speed": 30, "walls": [{"surface": "upper", "speed": v}]}) for v in (1, 2)]
        self.assertEqual(differing_inputs(*blown)[0][:2], ("air.walls.upper.speed", "upper: Speed"))


class NamedSurfaces(unittest.TestCase):
    def test_a_stretch_is_cut_out_of_its_side(self):
        outline = made(surfaces=[{"name": "slot", "side": "upper", "start": 0.4, "end": 0.5}]).outlines()[0]
        self.assertEqual([t.name for t in outline.stretches], ["upper", "slot", "upper", "lower"])
        slot = next(t for t in outline.stretches if t.name == "slot")
        np.testing.assert_allclose(sorted(outline.at([slot.start, slot.end])[:, 0]), [0.4, 0.5], atol=1e-4)

    def test_angles_may_run_over_the_start(self):
        outline = made(kind="ellipse", thickness=1.0,
                       surfaces=[{"name": "tail", "side": "angle", "start": -20, "end": 20}]).outlines()[0]
        pieces = [t for t in outline.stretches if t.name == "tail"]
        self.assertEqual(len(pieces), 2)
        self.assertAlmostEqual(sum(t.end - t.start for t in pieces), np.pi * 40 / 360, delta=2e-3)

    def test_unknown_surfaces_and_elements_say_what_there_is(self):
        _, findings = examine(sheet(air={"speed": 30, "walls": [{"surface": "slott", "speed": 3}]}))
        self.assertEqual((findings[0].grade, "body, upper, lower" in findings[0].message), ("stop", True))
        with self.assertRaisesRegex(SheetError, "does not exist"):
            sheet(shape={"surfaces": [{"name": "slot", "element": "rudder"}]})

    def test_actions_become_boundaries_in_the_solvers_scales(self):
        setup = prepare(
            sheet(
                shape={"surfaces": [{"name": "slot", "start": 0.4, "end": 0.5}]}, flow={"model": "laminar"},
                air={
                    "speed": 40, "walls": [{"surface": "slot", "speed": 17},
                                           {"surface": "lower", "action": "move", "speed": -40}]
                }))
        sound = setup.air.speed_of_sound
        self.assertAlmostEqual(setup.boundaries["slot"].blown, 17 / sound)
        self.assertAlmostEqual(setup.boundaries["lower"].tangential, -40 / sound)
        self.assertEqual(setup.slots, ["slot"])


class Crossings(unittest.TestCase):
    def test_crossing_and_holding(self):
        square = np.array([[0, 0], [1, 0], [1, 1], [0, 1.0]])
        self.assertIsNone(crossing(square, square + [2, 0]))
        self.assertIsNotNone(crossing(square, square + [0.5, 0.5]))
        np.testing.assert_array_equal(holds(square, np.array([[0.5, 0.5], [1.5, 0.5]])), [True, False])


class Columns(unittest.TestCase):
    def test_a_sharp_edge_carries_a_line_walked_on_both_sides(self):
        points = Outline(Section(four_digit(0.12))).at(np.linspace(0, 2.03, 80, endpoint=False))
        path = path_with_wake(points, ["upper"] * 80, lambda at, way: 1.0)
        count = len(path.nodes) - 80
        self.assertEqual(len(path.node), 80 + 2 * count)
        self.assertEqual(count % 4, 0)
        self.assertGreater(path.nodes[-1, 0], 1.0)
        stop, direction, names = plant_columns(path)
        np.testing.assert_allclose(np.linalg.norm(direction, axis=1), 1, atol=1e-9)
        self.assertEqual({n for n in names}, {"upper", ""})

    def test_corners_fan_out(self):
        square = np.array([[0, 0], [1, 0], [1, 1], [0, 1.0]])
        stop, direction, _ = plant_columns(plain_path(square, ["wall"] * 4, True))
        self.assertGreater(len(stop), 4)
        self.assertEqual((len(stop) - 4) % 4, 0)


class Hybrid(unittest.TestCase):
    CASES = {
        "slat and flap": {"shape": {"elements": [SLAT, FLAP]}}, "inverted over ground": {
            "shape": {"camber": 0.04, "attitude": "inverted", "elements": [FLAP]},
            "domain": {"kind": "ground", "clearance": 0.4}, "flow": {"model": "turbulent"}
        }, "channel": {
            "shape": {"kind": "ellipse", "thickness": 1.0}, "domain": {"kind": "channel"},
            "flow": {"model": "laminar"}
        }, "half": {
            "shape": {"kind": "ellipse", "thickness": 0.5}, "domain": {"kind": "half"},
            "air": {"speed": 40, "incidence": 0}
        }, "two cylinders": {
            "shape": {
                "kind": "ellipse", "thickness": 1.0, "elements": [{
                    "name": "second", "role": "free", "kind": "ellipse", "thickness": 1, "chord": 0.7, "x": 2
                }]
            }
        }, "blunt": {"shape": {"trailing_edge": "open"}, "grid": {**SMALL, "kind": "hybrid"}}
    }

    def test_any_arrangement_makes_a_valid_grid(self):
        for name, sections in self.CASES.items():
            with self.subTest(name):
                setup = prepare(sheet(**sections))
                mesh = setup.generate()["coarse"]
                self.assertGreater(mesh.volume.min(), 0)
                self.assertLess(skewness(mesh).max(), 0.985)
                closed = np.zeros((mesh.n_cells, 2))
                np.add.at(closed, mesh.left, mesh.normal * mesh.area[:, None])
                inner = mesh.right >= 0
                np.add.at(closed, mesh.right[inner], -(mesh.normal * mesh.area[:, None])[inner])
                self.assertLess(np.abs(closed).max(), 1e-9)
                self.assertAlmostEqual(setup.cells("coarse") / mesh.n_cells, 1, delta=0.15)

    def test_the_air_fills_the_domain(self):
        setup = prepare(sheet(**self.CASES["channel"]))
        mesh = setup.generate()["coarse"]
        # A hundred facets on the circle, the coarse ones of them.
        self.assertAlmostEqual(mesh.volume.sum(), 4 * 18 - np.pi / 4, delta=0.02)

    def test_wall_faces_run_one_after_the_other(self):
        mesh = prepare(sheet(**self.CASES["slat and flap"])).generate()["coarse"]
        nodes = mesh.face_nodes[mesh.boundaries["flap upper"]]
        np.testing.assert_array_equal(nodes[1:, 0], nodes[:-1, 1])

    def test_zones_make_cells_small(self):
        inside = Zone("box", 0.05, 2, 0, 1, 1).outside(np.array([[2, 0.2], [4, 0]]))
        np.testing.assert_allclose(inside, [0, 1.5])
        counts = []
        for zones in ([], [{"kind": "circle", "x": 6, "y": 3, "width": 1.5, "size": 0.03}]):
            setup = prepare(sheet(grid={**SMALL, "kind": "hybrid", "zones": zones}))
            mesh = setup.generate()["coarse"]
            counts.append(np.count_nonzero(np.linalg.norm(mesh.centre - [6, 3], axis=1) < 0.7))
        self.assertGreater(counts[1], 3 * counts[0])

    def test_a_gap_thinner_than_the_cells_is_refused_with_the_mend(self):
        _, findings = examine(
            sheet(shape={"elements": [{**FLAP, "gap": 0.006, "overlap": -0.004}]},
                  grid={**SMALL, "least_size": 0.01}))
        self.assertEqual(findings[0].grade, "stop")
        self.assertRegex(findings[0].message, "gap between .*main.* and .*flap.*Lower the smallest wall cell")

    def test_what_cannot_be_halved_or_fitted_is_explained(self):
        for sections, words in (({"domain": {"kind": "half"}}, "zero incidence"), ({
                "domain": {"kind": "half"}, "shape": {"camber": 0.02}, "air": {"speed": 30, "incidence": 0}
        }, "not symmetric"), ({
                "shape": {"kind": "ellipse", "thickness": 1}, "domain": {"kind": "channel", "height": 1.0}
        }, "does not fit"), ({"shape": {"elements": [FLAP]},
                              "grid": {"kind": "lines"}}, "one upright section")):
            with self.subTest(words):
                setup, findings = examine(sheet(**sections))
                self.assertIsNone(setup)
                self.assertIn(words, findings[0].message)

    def test_incidence_turns_the_shape_over_a_ground(self):
        level, steep = (prepare(sheet(domain={"kind": "ground"}, air={"speed": 30, "incidence": a}))
                        for a in (0, 6))
        self.assertEqual(steep.stream.incidence, 0)
        self.assertLess(steep.outlines[0].trailing_edge[1], level.outlines[0].trailing_edge[1] - 0.08)

    @slow
    def test_a_climb_on_triangles_gives_the_lift_of_the_lines(self):
        lines = run({"level": "medium"}, air={"motion": "mach", "mach": 0.1, "incidence": 2})
        triangles = run({"level": "medium", "kind": "hybrid"},
                        air={"motion": "mach", "mach": 0.1, "incidence": 2})
        self.assertAlmostEqual(
            triangles.result["coefficients"]["lift"] / lines.result["coefficients"]["lift"], 1, delta=0.03)
        self.assertLess(
            abs(triangles.result["control_volume"]["drag"] - triangles.result["coefficients"]["drag"]), 1e-6)

    def test_too_narrow_for_the_layers_is_a_mesh_error_or_a_grid(self):
        setup = prepare(
            sheet(shape={"elements": [{**FLAP, "gap": 0.004, "overlap": -0.002}]},
                  grid={**SMALL, "around": 64}))
        try:
            self.assertGreater(setup.generate()["coarse"].volume.min(), 0)
        except MeshError as error:
            self.assertIn("Make the gap wider", str(error))


class LayersThatEndEarly(unittest.TestCase):
    def test_it_is_said_with_the_number_that_is_needed(self):
        def said(**grid):
            asked = read_sheet({"format": 1, "shape": {"elements": [FLAP]}, "flow": {"model": "turbulent"},
                                "air": {"motion": "speed", "speed": 30}, "grid": grid})
            return " ".join(f.message for f in examine(asked)[1])

        few = said(layers=8)
        self.assertRegex(few, "layers end where cells are .* Take [0-9]+ layers")
        needed = int(re.search(r"Take (\d+) layers, or a higher", few)[1])
        self.assertNotIn("layers end", said(layers=needed))
        self.assertNotIn("layers end", said())


class TooFine(unittest.TestCase):
    def test_zones_that_no_run_could_carry_are_refused_before_they_are_filled(self):
        setup, findings = examine(sheet(grid={**SMALL, "kind": "hybrid", "zones": [{"size": 1e-4}]}))
        self.assertIsNone(setup)
        self.assertEqual([f.path for f in findings], ["grid.zones"])
        self.assertRegex(findings[0].message, "too many for a run. Give zones with larger cells")


class Planner(unittest.TestCase):
    def test_the_laminar_layer_is_blasius(self):
        setup = prepare(
            sheet(
                flow={"model": "laminar"},
                air={"motion": "mach", "mach": 0.1, "viscosity_law": "from Reynolds number",
                     "reynolds": 1e4}))
        station = plan_layer(setup, 1.0, [1.0]).stations[0]
        self.assertAlmostEqual(station.friction, 0.00664, places=5)
        self.assertAlmostEqual(station.thickness, 0.05, places=5)

    def test_the_first_cell_follows_the_wanted_y_plus_and_the_speed(self):
        slow, fast = (prepare(sheet(flow={"model": "turbulent"}, air={"speed": v})) for v in (20, 40))
        one, ten = plan_layer(slow, 1.0), plan_layer(slow, 10.0)
        self.assertAlmostEqual(ten.first_height / one.first_height, 10, delta=0.1)
        self.assertAlmostEqual(plan_layer(fast).first_height / one.first_height, 0.54, delta=0.03)
        self.assertEqual(one.speed, 20)

    def test_bad_wishes_are_explained(self):
        setup = prepare(sheet(flow={"model": "turbulent"}))
        for y_plus, stations, words in ((0, [0.5], "accepted are 0.05"), (1, [0.0], "accepted are 0.001"),
                                        (1, [], "at least one")):
            with self.assertRaisesRegex(ValueError, words):
                plan_layer(setup, y_plus, stations)

    def test_a_changed_speed_is_noticed(self):
        _, findings = examine(
            sheet(flow={"model": "turbulent"}, air={"speed": 40}, grid={"planned_speed": 30}))
        self.assertTrue(any("planned at 30 m/s and the speed is now 40" in f.message for f in findings))


class Outlines(unittest.TestCase):
    def test_length_and_place_of_an_ellipse(self):
        outline = Outline(Section(ellipse(1.0)), scale=2.0, turn=np.radians(30), offset=(1.0, 2.0))
        self.assertAlmostEqual(outline.length, 2 * np.pi, delta=1e-3)
        centre = outline.at(np.linspace(0, outline.length, 400, endpoint=False)).mean(0)
        np.testing.assert_allclose(centre, [1 + np.cos(np.radians(30)), 2 - np.sin(np.radians(30))],
                                   atol=1e-3)
