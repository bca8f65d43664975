import unittest

import numpy as np

from tests.sheets import QUICK, run
from ventaris.core.instruments.probe import containing_cell, read_probe
from ventaris.core.instruments.taps import TapRow, find_separation, find_shocks, read_taps


def row(x, mach, cf=None):
    x = np.asarray(x)
    return TapRow(np.concatenate([x[::-1], x]), np.zeros(2 * len(x)), np.concatenate([-mach[::-1] * 0,
                                                                                      -mach]),
                  np.concatenate([mach * 0, cf if cf is not None else mach * 0]),
                  np.concatenate([mach[::-1] * 0 + 0.5, mach]), ["lower"] * len(x) + ["upper"] * len(x))


class Shocks(unittest.TestCase):
    def test_a_smeared_jump_is_found_half_way(self):
        x = np.linspace(0, 1, 101)
        mach = np.where(x < 0.6, 1.3, 0.75)
        mach[60], mach[61] = 1.15, 0.9
        shocks = find_shocks(row(x, mach))
        self.assertEqual([s["surface"] for s in shocks], ["upper"])
        self.assertAlmostEqual(shocks[0]["x"], 0.606, delta=0.006)
        self.assertAlmostEqual(shocks[0]["mach_ahead"], 1.3)

    def test_a_smooth_return_through_sonic_is_no_shock(self):
        x = np.linspace(0, 1, 201)
        self.assertEqual(find_shocks(row(x, 1.06 - 0.4 * (x - 0.3)**2)), [])


class Separation(unittest.TestCase):
    def test_sign_changes_of_friction_are_interpolated(self):
        x = np.linspace(0, 1, 101)
        found = find_separation(row(x, x * 0 + 0.5, (0.8133 - x) * (0.95 - x)))
        self.assertEqual([f["kind"] for f in found], ["separation", "reattachment"])
        self.assertAlmostEqual(found[0]["x"], 0.8133, delta=2e-3)


class InTheFlow(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.execution = run(QUICK)
        _, cls.flow, cls.state = cls.execution.field()
        cls.flow.residual(cls.state)

    def test_taps_integrate_to_the_balance(self):
        taps = read_taps(self.flow, self.state)
        normal, area = self.flow.mesh.normal[self.flow.wall], self.flow.mesh.area[self.flow.wall]
        force = (taps.cp[:, None] * normal * area[:, None]).sum(0)
        a = np.radians(2)
        self.assertAlmostEqual(-force[0] * np.sin(a) + force[1] * np.cos(a),
                               self.execution.result["coefficients"]["lift"], places=9)

    def test_stagnation_pressure_is_isentropic(self):
        taps = read_taps(self.flow, self.state)
        mach = self.flow.stream.mach
        expected = ((1 + 0.2 * mach**2)**3.5 - 1) / (0.7 * mach**2)
        self.assertAlmostEqual(taps.cp.max(), expected, delta=0.03)

    def test_sides_run_from_nose_to_tail(self):
        taps = read_taps(self.flow, self.state)
        for name in ("upper", "lower"):
            x = taps.x[taps.side(name)]
            self.assertLess(x[0], 0.02)
            self.assertGreater(x[-1], 0.98)

    def test_probe_far_ahead_reads_the_stream_and_its_cell_holds_it(self):
        cell = containing_cell(self.flow.mesh, 0.3, 0.2)
        corner = self.flow.mesh.points[self.flow.mesh.cell_nodes[cell]]
        self.assertTrue(corner[:, 0].min() <= 0.3 <= corner[:, 0].max())
        reading = read_probe(self.flow, self.state, -30, 0)
        self.assertAlmostEqual(reading["u"], np.cos(np.radians(2)), delta=2e-3)
        self.assertIsNone(read_probe(self.flow, self.state, 0.5, 0.0))
