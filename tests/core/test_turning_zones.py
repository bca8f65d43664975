"""Circles that turn in the rest of a plane's grid, and the seam between."""
import unittest

import numpy as np

from tests.marks import slow
from ventaris.core.flow.march.unsteady import TimeMarch
from ventaris.core.flow.motion import Still, Swing, Turning
from ventaris.core.flow.stencils.plane import gradient_stencils
from ventaris.core.flow.stream import FreeStream
from ventaris.validation.turning import VORTEX_MACH as MACH, carried, empty_zone, turning_flow, vortex


class SeamTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.mesh = empty_zone(32)

    def test_cells_are_closed_and_keep_their_volume_at_any_angle(self):
        mesh, zone = self.mesh, self.mesh.zones[0]
        volume = mesh.volume.sum()
        self.assertAlmostEqual(volume, 36.0, 9)
        inside = np.isin(np.arange(mesh.n_cells), zone.cells)
        self.assertAlmostEqual(mesh.volume[inside].sum(), np.pi, 9)
        for angle in (0.0, 0.03, 1.7, -4.1, 2 * np.pi * 5 / zone.count, 40.0):
            zone.turn_to(mesh, angle)
            self.assertLess(np.abs(mesh.openness()).max(), 1e-13, angle)
            self.assertTrue((mesh.area[zone.seam] >= 0).all())
            self.assertAlmostEqual(mesh.area[zone.seam].sum(), 2 * np.pi, delta=0.02)
            sides = ((mesh.face_centre[zone.seam] - mesh.centre[mesh.right[zone.seam]])**2).sum(axis=-1)
            self.assertLess(np.sqrt(sides.max()), 2.0 * 2 * np.pi / zone.count, angle)

    def test_unturned_the_zone_is_where_it_began(self):
        mesh, zone = empty_zone(32), None
        first = mesh.centre.copy(), mesh.points.copy(), mesh.normal.copy()
        zone = mesh.zones[0]
        zone.turn_to(mesh, 2.2)
        self.assertGreater(np.abs(mesh.centre - first[0]).max(), 0.5)
        zone.turn_to(mesh, 0.0)
        for now, then in zip((mesh.centre, mesh.points, mesh.normal), first):
            self.assertLess(np.abs(now - then).max(), 1e-15)

    def test_gradients_are_exact_for_linear_fields_wherever_the_zone_stands(self):
        mesh = self.mesh
        flow = turning_flow(mesh, Turning(0.5))
        grad = np.empty((mesh.n_cells, 4, 2))
        for time in (0.0, 0.77, 3.3, 19.0):
            flow.moved.put(time)
            state = flow.uniform_state()
            state[:, 0] = 0.01 * mesh.centre[:, 0] - 0.03 * mesh.centre[:, 1]
            state[:, 3] = 0.2 * mesh.centre[:, 1]
            flow._reconstruct.gradients(state, *flow.scalar, *flow.velocity, flow.ghost, grad)
            self.assertLess(np.abs(grad[:, 0] - [0.01, -0.03]).max(), 1e-12)
            self.assertLess(np.abs(grad[:, 3] - [0.0, 0.2]).max(), 1e-12)

    def test_a_stencil_that_was_turned_is_one_that_was_made_there(self):
        mesh = self.mesh
        flow = turning_flow(mesh, Turning(0.5), FreeStream(MACH, reynolds=1e4))
        flow.moved.put(2.35)
        for kept, made in zip((flow.scalar, flow.velocity), gradient_stencils(mesh)):
            self.assertTrue((kept[0] == made[0]).all())
            for cell in (*mesh.zones[0].rings.ravel(), 5, mesh.n_cells - 5):
                a, b = (np.argsort(s[1][s[0][cell]:s[0][cell + 1]]) + s[0][cell] for s in (kept, made))
                self.assertTrue((kept[1][a] == made[1][b]).all(), cell)
                self.assertLess(np.abs(kept[2][a] - made[2][b]).max(), 1e-10)

    def test_what_leaves_one_side_enters_the_other(self):
        mesh = self.mesh
        flow = turning_flow(mesh, Turning(0.5), limit=False)
        for time in (0.4, 2.9):
            flow.moved.put(time)
            state = vortex(mesh.centre, 3.0)
            total = (flow.residual(state) / flow.row_scale).sum(axis=0)
            out = flow.flux[flow.n_interior:].sum(axis=0)
            out[1] -= flow.stream.total_enthalpy * out[0]
            self.assertLess(np.abs(total - out).max(), 1e-12)

    def test_factors_follow_the_cells_across_the_seam(self):
        mesh = self.mesh
        flow = turning_flow(mesh, Turning(0.5), limit=False)
        flow.moved.put(2.9)
        fresh = turning_flow(mesh, Still(-mesh.zones[0].angle), limit=False)
        fresh.faces.drift[:], fresh.cells.drift[:] = flow.faces.drift, flow.cells.drift
        state = vortex(mesh.centre, 3.0)
        vector = np.random.default_rng(3).normal(size=state.shape)
        for one in (flow, fresh):
            one.residual(state)
            one.prepare(state, 20.0)
        self.assertLess(np.abs(flow.apply_factors(vector) - fresh.apply_factors(vector)).max(), 1e-4)


class TurningFlowTest(unittest.TestCase):
    def test_a_uniform_stream_stays_uniform_through_a_whole_turn(self):
        mesh = empty_zone(24)
        for more in ({"limit": False}, {"limit": True}):
            flow = turning_flow(mesh, Turning(0.5, spin_up=2.0), **more)
            march = TimeMarch(flow, flow.uniform_state(), 0.5)
            for _ in range(28):
                march.advance()
            self.assertGreater(-mesh.zones[0].angle, -7.0)
            self.assertGreater(abs(mesh.zones[0].angle), 6.2)
            self.assertLess(np.abs(march.state - flow.uniform_state()).max(), 1e-10)

    def test_air_at_rest_stays_at_rest_round_a_turning_cylinder_that_slips(self):
        mesh = empty_zone(32, hub=0.4)
        flow = turning_flow(mesh, Turning(0.2), FreeStream(1e-9), limit=False, pace=0.2)
        march = TimeMarch(flow, flow.uniform_state(), 0.7)
        for _ in range(20):
            march.advance()
        self.assertLess(np.abs(march.state - flow.uniform_state()).max(), 1e-8)

    def test_a_swinging_zone_comes_back(self):
        mesh = empty_zone(24)
        flow = turning_flow(mesh, Swing(0.3, 1.0))
        flow.moved.put(0.5 * np.pi)
        self.assertAlmostEqual(mesh.zones[0].angle, -0.3)
        flow.moved.put(np.pi)
        self.assertAlmostEqual(mesh.zones[0].angle, 0.0)

    @slow
    def test_a_vortex_loses_hardly_more_where_cells_do_not_meet(self):
        self.assertLess(carried(32, Still(np.pi / 32)), 1.05 * carried(32, Still()))


if __name__ == "__main__":
    unittest.main()
