"""Blade rows: shapes and plans, grids of a passage, the turning frame, and a whole run."""
import unittest

import numpy as np

from tests.marks import EVERYTHING, slow
from ventaris.core.flow.boundaries.contract import Boundary
from ventaris.core.flow.discretisation import Discretisation
from ventaris.core.flow.frame import add_turning_product, spin
from ventaris.core.flow.radial_equilibrium import RadialEquilibrium
from ventaris.core.flow.stream import FreeStream
from ventaris.core.formats.section_tables import read_sections, write_sections
from ventaris.core.formats.tables import TableError
from ventaris.core.grids.mesh import MeshError
from ventaris.core.grids.passage.mesh import mesh_of_stack
from ventaris.core.grids.passage.plane import PlaneCounts, two_sided
from ventaris.core.grids.passage.stack import SpanCounts, stack_planes
from ventaris.core.shapes import mean_line
from ventaris.core.shapes.blades import BladeRow, SectionShape
from ventaris.core.shapes.coordinates import ShapeError
from ventaris.core.shapes.rows import build_row, planned
from ventaris.core.sheet import SheetError, read_sheet
from ventaris.core.study.execute import execute
from ventaris.core.study.kinds.registry import kind_of
from ventaris.core.study.setup import prepare

TURN = -0.19
QUICK = {
    "format": 1, "space": "row", "shape": {"made": "plan", "tip_gap": 0.0006}, "air":
    {"back_pressure": 110000.0}, "grid": {
        "level": "coarse", "side_cells": 40, "edge_cells": 16, "off_cells": 20, "span_cells": 24, "gap_cells":
        6, "ahead_cells": 10, "behind_cells": 14
    }
}


def rotor(tip=0.985, stagger=52.0, blades=30):
    """A straight row of our own, lengths in chords."""
    spans = np.array([0.0, 0.5, 1.0])
    sections = tuple(
        SectionShape(1.0, np.radians(stagger + 8 * s), np.radians(14 - 10 * s), 0.5, 0.08 -
                     0.03 * s, 0.005, "circular arc") for s in spans)
    x = np.linspace(-1.2, 1.5, 9)
    return BladeRow(blades, x, np.full(9, 3.9), np.full(9, 5.5), spans, sections, tip)


def passage(row=None, gap=4, factor=1):
    return mesh_of_stack(
        stack_planes(row or rotor(), PlaneCounts(20 * factor, 10 * factor, 9 * factor, 5 * factor,
                                                 7 * factor),
                     SpanCounts(10 * factor, gap, 1e-2 / factor, 5e-3 / factor, 8e-3 / factor),
                     4e-3 / factor))


def far(*state):
    return Boundary("far field", state=state)


class Shapes(unittest.TestCase):
    def test_stretching_has_its_end_steps(self):
        for count, first, last in ((60, 1e-3, 0.005), (40, 0.01, 0.002), (12, 0.2, 0.3)):
            line = two_sided(count, first, last)
            self.assertTrue((np.diff(line) > 0).all())
            if first < 0.05:
                self.assertAlmostEqual(line[1] / first, 1.0, delta=0.12)

    def test_a_circular_arc_turns_by_its_camber(self):
        shape = SectionShape(1.0, np.radians(40), np.radians(24), 0.5, 0.06, 0.004, "circular arc")
        self.assertAlmostEqual(np.degrees(shape.inlet_angle), 52.0, delta=1e-3)
        self.assertAlmostEqual(np.degrees(shape.outlet_angle), 28.0, delta=1e-3)
        outline = shape.outline()
        self.assertAlmostEqual(outline.chord, 1.0, places=6)
        self.assertAlmostEqual(np.degrees(outline.stagger), 40.0, places=4)

    def test_an_s_shape_turns_late(self):
        shape = SectionShape(1.0, 0.0, np.radians(10), 0.0, 0.04, 0.003, "circular arc")
        angles = shape._angles(np.array([0.0, 0.5, 1.0]))
        self.assertAlmostEqual(angles[1], 0.0, places=9)
        self.assertAlmostEqual(np.degrees(angles[2]), -10.0, places=9)

    def test_the_plan_keeps_its_own_triangles(self):
        sheet = read_sheet({"format": 1, "space": "row", "shape": {"made": "plan"}})
        omega = sheet.shape.plan_speed * 2 * np.pi / 60
        found = planned(sheet.shape)
        # The work of a free vortex is the same at all radii: r times the change of swirl.
        moment = []
        for p in found:
            axial = omega * p.radius / np.tan(p.inlet_angle)
            self.assertGreater(p.diffusion, 0.2)
            self.assertLess(p.diffusion, 0.62)
            moment.append(axial)
        self.assertLess(np.ptp(moment) / moment[0], 1e-9)
        rise = 288.15 * (sheet.shape.plan_ratio**(2 / 7) - 1) / sheet.shape.plan_efficiency
        area = np.pi * (0.25**2 - 0.17**2)
        flow = mean_line.axial_speed(17.0, area, 101325.0, 288.15)
        self.assertAlmostEqual(moment[0], flow, places=6)
        self.assertGreater(rise, 20)

    def test_a_plan_beyond_what_rows_do_is_refused_with_the_mend(self):
        for change, words in (({"plan_ratio": 1.8}, "shape.plan_ratio"), ({"plan_mass_flow":
                                                                           60.0}, "chokes at")):
            sheet = read_sheet({"format": 1, "space": "row", "shape": {"made": "plan", **change}})
            with self.assertRaisesRegex(ShapeError, words):
                build_row(sheet.shape, sheet.domain)

    def test_bad_input_names_the_field(self):
        cases = (({"shape": {"blades": 0}}, "blades"), ({"shape": {"hub_radius": 0.3}}, "hub"),
                 ({"shape": {"tip_gap": 0.06}}, "tip_gap"), ({"air": {"throttle_rise": -5}}, "throttle_rise"),
                 ({"shape": {"sections": [{"radius": 0.2}, {"radius": 0.18}]}}, "from the hub outwards"))
        for change, words in cases:
            with self.subTest(words), self.assertRaisesRegex(SheetError, words):
                read_sheet({"format": 1, "space": "row", **change})
        for change, words in (({"shape": {"blades": 150}}, "touch"), ({"air": {"speed": 40000}}, "Mach"),
                              ({"air": {"back_pressure": 9e5}}, "no air would pass")):
            with self.subTest(words), self.assertRaisesRegex(ShapeError, words):
                prepare(read_sheet({"format": 1, "space": "row", **change}))

    def test_a_wheel_that_turns_tail_first_is_warned_of(self):
        sheet = read_sheet({"format": 1, "space": "row", "air": {"speed": -14000}})
        words = " ".join(f.message for f in kind_of(sheet).preflight(prepare(sheet)))
        self.assertIn("tail first", words)
        still = read_sheet({"format": 1, "space": "row", "air": {"speed": 0, "back_pressure": 9e4}})
        self.assertFalse([f for f in kind_of(still).preflight(prepare(still)) if f.grade == "stop"])

    def test_tables_of_sections_go_out_and_come_back(self):
        sections = [{
            "radius": 0.1, "chord": 0.02, "stagger": 50.5, "camber": 12.0, "thickness": 0.08, "edge": 0.004,
            "front": 0.5, "sweep": 0.0, "lean": 0.001
        }]
        self.assertEqual(read_sections(write_sections(sections).encode()), sections)
        with self.assertRaisesRegex(TableError, "lacks the column stagger_deg"):
            read_sections(b"radius_m,chord_m,camber_deg\n0.1,0.02,10\n")
        with self.assertRaisesRegex(TableError, "Line 2"):
            read_sections(b"radius_m,chord_m,stagger_deg,camber_deg\n0.1,0.02,ten,3\n")


class Grids(unittest.TestCase):
    def test_a_passage_is_closed_and_its_faces_sweep_no_volume(self):
        mesh = passage()
        self.assertGreater(mesh.volume.min(), 0)
        self.assertLess(np.abs(mesh.openness()).max(), 1e-14)
        own = np.nonzero((mesh.right >= 0) & (mesh.right < mesh.n_own))[0]
        swept = mesh.sweep * mesh.area
        total = (np.bincount(mesh.left, swept, mesh.n_own) -
                 np.bincount(mesh.right[own], swept[own], mesh.n_own))
        self.assertLess(np.abs(total).max(), 1e-13)
        self.assertTrue({"blade", "hub", "casing", "tip", "inlet", "outlet"} <= set(mesh.boundaries))

    def test_its_volume_is_that_of_the_annulus_less_the_blade(self):
        row = rotor(tip=1.0)
        mesh = passage(row, gap=0, factor=2)
        whole = np.pi * (5.5**2 - 3.9**2) * 2.7 / row.blades
        spans = np.linspace(0, 1, 41)
        areas = []
        for s in spans:
            section = row.section(s)
            loop = np.concatenate([section.upper, section.lower[::-1]])
            x, y = loop.T
            areas.append(0.5 * abs(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))))
        blade = np.trapezoid(areas, 3.9 + 1.6 * spans)
        self.assertAlmostEqual(mesh.volume[:mesh.n_own].sum() / (whole - blade), 1.0, delta=5e-3)

    def test_every_cell_finds_its_neighbours_along_three_lines(self):
        mesh = passage()
        sides = (mesh.lines >= 0).sum(axis=(1, 2))
        walls = np.bincount(mesh.left[mesh.n_interior:], minlength=mesh.n_own)
        self.assertTrue((sides + walls == 6).all())

    def test_images_stand_where_the_neighbouring_passage_has_its_cells(self):
        mesh = passage()
        seen = mesh.centre[mesh.n_own:]
        r = np.hypot(seen[:, 1], seen[:, 2])
        donors = mesh.centre[mesh.images.donor]
        self.assertLess(np.abs(r - np.hypot(donors[:, 1], donors[:, 2])).max(), 1e-12)
        # Each image lies beyond the face through which its cell sees it.
        faces = np.nonzero(mesh.right >= mesh.n_own)[0]
        way = mesh.centre[mesh.right[faces]] - mesh.centre[mesh.left[faces]]
        self.assertGreater(np.einsum("ij,ij->i", way, mesh.normal[faces]).min(), 0)

    def test_a_grid_that_folds_is_refused_with_the_span(self):
        with self.assertRaisesRegex(MeshError, "% of the span"):
            stack_planes(rotor(stagger=60.0), PlaneCounts(8, 16, 9, 4, 4), SpanCounts(6, 0, 0.05, 0.05, 0.05),
                         0.01)


class Frame(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.mesh = passage()

    def everywhere(self, state):
        names = ("inlet", "outlet", "blade", "hub", "casing", "tip")
        return {name: far(*state) for name in names}

    def test_a_uniform_stream_is_kept_in_turning_axes(self):
        for state in ((0, 1, 0, 0, 0), (0, 1, 0.5, 0, 0)):
            flow = Discretisation(self.mesh, FreeStream(0.5), "slip", limit=False,
                                  boundaries=self.everywhere(state), omega=TURN)
            flow.stencils.let_through()
            given = np.tile(np.array(state, dtype=float), (flow.n_own, 1))
            self.assertLess(np.abs(flow.residual(given)).max(), 1e-10)

    def test_the_jacobian_is_that_of_the_residual_at_repeated_sides_too(self):
        mesh, rng = self.mesh, np.random.default_rng(0)
        given = {
            "inlet": Boundary("total inlet", pressure=0.0, temperature=1.0, velocity=(1.0, 0.0, 0.0)),
            "outlet": Boundary("outlet", pressure=-0.2)
        }
        flow = Discretisation(mesh, FreeStream(0.5), "slip", limit=False, boundaries=given, omega=TURN)
        flow.first_order = True
        state = np.zeros((flow.n_own, 5))
        state[:, :3] = -0.2, 0.95, 0.4
        state += 0.01 * rng.normal(size=state.shape) * flow.column_scale
        flow.residual(state)
        flow.prepare(state, 1e30)
        vector, step = rng.normal(size=state.shape), 1e-6
        exact = (flow.residual(state + step * vector * flow.column_scale) -
                 flow.residual(state - step * vector * flow.column_scale)) / (2 * step)
        seen, inner = flow.repeated.with_images(vector), flow.n_interior
        blocks = flow.jacobians.astype(float)
        through = np.einsum("fkr,fk->fr", blocks[0], seen[mesh.left])
        through[:inner] += np.einsum("fkr,fk->fr", blocks[1][:inner], seen[mesh.right[:inner]])
        found = np.zeros_like(seen)
        for k in range(5):
            found[:, k] = (np.bincount(mesh.left, through[:, k], len(seen)) -
                           np.bincount(mesh.right[:inner], through[:inner, k], len(seen)))
        add_turning_product(flow.turning.astype(float), seen, found)
        wrong = np.abs(found[:flow.n_own] - exact)
        free = np.ones(flow.n_own, dtype=bool)
        free[mesh.left[inner:]] = False
        scale = np.abs(exact).max(axis=0)
        self.assertLess((wrong[free].max(axis=0) / scale).max(), 0.02)
        seam = np.zeros(flow.n_own, dtype=bool)
        seam[mesh.images.donor] = True
        self.assertLess((wrong[seam & free].max(axis=0) / scale).max(), 0.02)

    def test_the_outlets_pressure_grows_as_the_swirl_demands(self):
        mesh, swirl = self.mesh, 0.06
        given = {"outlet": Boundary("outlet", pressure=-0.1)}
        flow = Discretisation(mesh, FreeStream(0.5), "slip", limit=False, boundaries=given, omega=TURN)
        faces = mesh.boundaries["outlet"]
        flow.outflow = RadialEquilibrium(flow, faces, mesh.level[mesh.left[faces]], -0.1, resistance=0.0)
        state = np.zeros((flow.n_own, 5))
        state[:, 1:3] = 1.0, 0.4
        state[:, 3:] = spin(mesh.centre[:flow.n_own], swirl)[:, 1:]
        flow.outflow.follow(state)
        r = np.hypot(*mesh.face_centre[faces, 1:].T)
        expected = -0.1 + 0.5 * swirl**2 * (r**2 - 3.9**2)
        found = flow.ghost[faces - flow.n_interior, 0]
        self.assertLess(np.abs(found - expected).max(), 0.02 * np.ptp(expected))
        # A throttle adds the square of what flows.
        flow.outflow.resistance = 0.5
        flow.outflow.follow(state)
        through = 0.4 * mesh.area[faces].sum()
        more = flow.ghost[faces - flow.n_interior, 0] - found
        self.assertLess(np.abs(more / (0.5 * through**2) - 1).max(), 1e-6)

    def test_walls_turn_with_the_mesh(self):
        points = np.array([[0.3, 1.0, 0.0], [0.0, 0.0, 2.0]])
        self.assertTrue(np.allclose(spin(points, 0.5), [[0, 0, 0.5], [0, -1.0, 0]]))


@slow
class Runs(unittest.TestCase):
    def test_a_rotor_settles_and_its_torque_is_the_rise_of_enthalpy(self):
        sheet = read_sheet(QUICK)
        run = execute(sheet)
        for progress in run:
            if progress.step == 55:
                kept = run.checkpoint().to_bytes()
        c, verdict = run.result["coefficients"], run.result["verdict"]
        self.assertTrue(verdict["settled"], verdict["words"])
        self.assertLess(abs(c["power_balance"]), 3e-3)
        self.assertLess(abs(c["work_by_swirl"] / c["work"] - 1), 0.02)
        self.assertLess(abs(c["mass_flow_out"] / c["mass_flow_in"] - 1), 1e-3)
        self.assertGreater(c["pressure_ratio"], 1.15)
        self.assertTrue(0.6 < c["efficiency"] < 0.95)
        # What leaves the wheel turns with it, and less against the blades than what came.
        self.assertGreater(c["outlet_angle"], 10)
        self.assertLess(c["relative_outlet_angle"], c["relative_inlet_angle"])
        level, planes, state = run.kept_field()
        self.assertEqual(len(state), planes.n_cells)
        kind_of(sheet).result.model_validate(run.result)
        names = set(kind_of(sheet).files(run))
        self.assertTrue({"lines.csv", "field.vtu", "planes.png", "result.json"} <= names)
        # Left while the outlet still closed, it goes on from there and ends at the same place.
        again = execute(sheet, kept)
        self.assertEqual(next(iter(again)).step, 56)
        for _ in again:
            pass
        self.assertEqual([entry["step"] for entry in again.history], list(range(1, len(again.history) + 1)))
        for name in ("mass_flow", "efficiency", "torque"):
            self.assertAlmostEqual(again.result["coefficients"][name] / c[name], 1.0, delta=1e-4)
        if EVERYTHING:
            self.check_neighbour(run)

    def check_neighbour(self, run):
        """From this run's last step to a little more pressure and back: the same flow as afresh, sooner."""
        closed = read_sheet(QUICK | {"air": {"back_pressure": 111500.0}})
        there = execute(closed, neighbour=run.checkpoint())
        for _ in there:
            pass
        self.assertTrue(there.result["verdict"]["settled"])
        first, closer = run.result["coefficients"], there.result["coefficients"]
        self.assertLess(closer["mass_flow"], first["mass_flow"] * 0.997)
        back = execute(read_sheet(QUICK), neighbour=there.checkpoint())
        for step in back:
            if step.step == 10:
                kept = back.checkpoint().to_bytes()
        resumed = execute(read_sheet(QUICK), kept)
        for _ in resumed:
            pass
        for again in (back, resumed):
            self.assertLess(len(again.history), 0.8 * len(run.history))
            for name in ("mass_flow", "efficiency", "torque"):
                self.assertAlmostEqual(again.result["coefficients"][name] / first[name], 1.0, delta=5e-4)
        # Another grid or closure has nothing to begin with here.
        other = execute(read_sheet(QUICK | {"flow": {"model": "inviscid"}}), neighbour=there.checkpoint())
        self.assertIn("coarse grid", next(iter(other)).message)
        self.assertTrue(other._level.flow.first_order)


if __name__ == "__main__":
    unittest.main()
