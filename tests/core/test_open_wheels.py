"""Wheels in the open: the sink of their slipstream, where the axes turn, the cells between the blades."""
import unittest

import numpy as np

from tests.marks import slow
from ventaris.core.flow.discretisation import Discretisation
from ventaris.core.flow.even_turning import EvenTurning
from ventaris.core.flow.frame import TurningNear, face_drift
from ventaris.core.flow.slipstream import Slipstream, drawn_in, sink
from ventaris.core.grids.passage import stack
from ventaris.core.sheet import read_sheet
from ventaris.core.study.execute import execute
from ventaris.core.study.setup import prepare

SECTION = {"chord": 0.19, "stagger": 82.0, "camber": 0.0, "thickness": 0.12, "edge": 0.006}
SMALL = {
    "format": 1, "space": "row", "shape": {
        "setting": "open", "blades": 2, "hub_radius": 0.23, "tip_radius": 1.14, "form": "four-digit",
        "stacked_at": 0.25, "sections": [{"radius": r, **SECTION} for r in (0.23, 1.14)]
    }, "air": {"speed": 1250.0, "wind": 0.0}, "flow": {"model": "inviscid"}, "grid": {
        "level": "coarse", "side_cells": 40, "edge_cells": 16, "off_cells": 22, "span_cells": 24,
        "beyond_cells": 16, "ahead_cells": 10, "behind_cells": 14
    }
}
FEW = {
    "level": "coarse", "side_cells": 36, "edge_cells": 12, "off_cells": 16, "span_cells": 18,
    "beyond_cells": 12, "ahead_cells": 7, "behind_cells": 9
}


class Sinks(unittest.TestCase):
    def test_what_a_sink_draws_in_passes_a_sphere_round_it(self):
        cosine, weight = np.polynomial.legendre.leggauss(40)
        for mach in (0.0, 0.5):
            with self.subTest(mach=mach):
                at = np.stack([cosine, np.sqrt(1 - cosine**2), 0 * cosine], 1)
                inward = sink(at, 3.0, mach)
                # In a stream that is compressed the mass flow along it is less than that of the velocity.
                through = inward[:, 0] * (1 - mach**2) * at[:, 0] + inward[:, 1] * at[:, 1]
                self.assertAlmostEqual(-2 * np.pi * (weight * through).sum(), 3.0, delta=2e-3)

    def test_a_hovering_disc_draws_in_what_passes_it(self):
        thrust, area = 0.8, 3.0
        self.assertAlmostEqual(drawn_in(thrust, 0.0, area), area * np.sqrt(thrust / (2 * area)), places=12)

    def test_a_wheel_drives_the_wind_apart(self):
        """Momentum theory with a third of the wind taken out at the disc: the wake has a third of the wind
        in twice the disc's section, so 4/3 of the disc's flow pass beside it that would have come."""
        wind, area = 0.1, 2.0
        thrust = -8 / 9 * 0.5 * wind**2 * area
        self.assertAlmostEqual(drawn_in(thrust, wind, area) / (wind * area), -4 / 3, places=6)

    def test_nothing_is_drawn_in_by_nothing(self):
        self.assertEqual((drawn_in(0.0, 0.0, 1.0), drawn_in(0.0, 0.2, 1.0)), (0.0, 0.0))

    def test_a_braked_wheel_beyond_momentum_theory_has_a_finite_wake(self):
        self.assertLess(abs(drawn_in(-0.9 * 0.01, 0.1, 1.0)), 0.2)


class WithPassage(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.setup_ = prepare(read_sheet(SMALL))
        cls.mesh = cls.setup_.generate("coarse")

    def flow(self, **more):
        return Discretisation(self.mesh, self.setup_.stream, "slip", precondition=True,
                              boundaries=self.setup_.boundaries(self.mesh), omega=self.setup_.turn, **more)


class Passages(WithPassage):
    def test_the_air_is_computed_as_far_as_it_was_asked_for(self):
        x = self.mesh.points[:, 0] * self.setup_.scale
        reach = self.setup_.sheet.domain.reach * 1.14
        self.assertAlmostEqual(x.min(), -reach, places=6)
        self.assertAlmostEqual(x.max(), reach, places=6)

    def test_no_cell_folds_and_each_is_closed(self):
        self.assertGreater(self.mesh.volume[:self.mesh.n_own].min(), 0)

    def test_cells_between_the_blades_gather_at_the_plane_of_rotation(self):
        row, x = self.setup_.row, np.linspace(-1, 1, 201)[None] * self.setup_.row.tip_radius
        counts, _, _ = self.setup_.counts("coarse")
        ring = np.zeros((1, counts.ring * (counts.off + 1)))

        def moved(theta):
            places = np.concatenate([np.broadcast_to(0.0, ring.shape), x], axis=1)
            angles = np.concatenate([ring, np.full(x.shape, theta)], axis=1)
            return stack._gathered(places, angles, counts, row)[:, ring.shape[1]:][0]

        between, above = moved(0.5 * np.pi), moved(0.0)
        np.testing.assert_array_equal(above, x[0])
        steps = np.diff(between)
        self.assertGreater(steps.min(), 0)
        self.assertLess(steps[100], 0.5 * np.diff(x[0])[100])

    def test_the_far_field_has_the_sinks_motion_and_keeps_its_total_pressure(self):
        wind = 0.1
        flow = self.flow()
        beside = Slipstream(flow, wind, np.pi * self.setup_.row.tip_radius**2, thrust=-0.3)
        ghost = flow.ghost[beside.rows]
        self.assertGreater(np.abs(ghost[:, 2] - wind).max(), 1e-4)
        np.testing.assert_allclose(ghost[:, 0] + 0.5 * (ghost[:, 2:]**2).sum(1), 0.5 * wind**2, atol=1e-12)
        # A wheel drives the air apart.
        out = (ghost[:, 3:] * beside.centre[:, 1:]).sum(1)
        casing = np.abs(beside.centre[:, 0]) < beside.centre[:, 0].max() * 0.5
        self.assertGreater(out[casing].min(), 0)


class Axes(WithPassage):
    def test_axes_that_turn_everywhere_move_as_they_did(self):
        far = (1e9, 2e9)
        np.testing.assert_allclose(face_drift(self.mesh, 0.3, TurningNear(far, far, far)),
                                   face_drift(self.mesh, 0.3), atol=1e-9)

    def test_faces_of_axes_that_turn_near_the_wheel_sweep_no_volume(self):
        mesh, inner = self.mesh, self.mesh.n_interior
        drift = face_drift(mesh, 1.0, self.setup_.turning_near)
        swept, total = np.einsum("ij,ij->i", drift, mesh.normal) * mesh.area, np.zeros(mesh.n_cells)
        np.add.at(total, mesh.left, swept)
        np.subtract.at(total, mesh.right[:inner], swept[:inner])
        self.assertLess(np.abs(total[:mesh.n_own]).max(), 1e-12 * np.abs(swept).max())
        far = mesh.face_centre[:, 0] < -3 * self.setup_.row.tip_radius
        self.assertEqual(np.abs(drift[far]).max(), 0)

    def test_air_that_comes_evenly_gains_less_swirl(self):
        """Linear in the radius, and even: both are kept better than without, by the mean over the cells
        ahead of the wheel."""
        centre, tip, n = self.mesh.centre, self.setup_.row.tip_radius, self.mesh.n_own
        radius = np.hypot(centre[:, 1], centre[:, 2])
        ahead = ((centre[:, 0] < -0.2 * tip) & (centre[:, 0] > -0.8 * tip) & (radius > 0.5 * tip) &
                 (radius < 1.1 * tip))[:n]
        for course in (0, 1):
            gained = []
            for even in (False, True):
                flow = self.flow(turning_near=self.setup_.turning_near)
                flow.even_turning = EvenTurning(flow) if even else None
                state = flow.uniform_state()
                state[:, 2] = 0.0
                state[:, 3:5] = -1e-6 * (centre[:n, 1:] * ((radius / tip)**(course - 1) / radius)[:n, None])
                out = flow.residual(state)
                around = (centre[:n, 1] * out[:, 4] - centre[:n, 2] * out[:, 3]) / radius[:n]
                gained.append(abs(around[ahead].sum()))
            with self.subTest(course=course):
                self.assertLess(gained[1], 0.7 * gained[0], gained)


@slow
class Hover(unittest.TestCase):
    def test_a_hovering_rotor_lifts_and_is_resumed_with_the_slipstream_it_had(self):
        sheet, kept = read_sheet(SMALL | {"grid": FEW, "run": {"steps": 40}}), None
        run = execute(sheet)
        for _ in run:
            if len(run.history) == 22:
                kept = run.checkpoint().to_bytes()
        numbers = run.result["coefficients"]
        self.assertGreater(numbers["disc_thrust"], 0.0035)
        resumed = execute(sheet, kept)
        for _ in resumed:
            pass
        self.assertEqual(len(resumed.history), len(run.history))
        for name in ("thrust", "torque"):
            self.assertAlmostEqual(resumed.result["coefficients"][name] / numbers[name], 1, delta=1e-4)


if __name__ == "__main__":
    unittest.main()
