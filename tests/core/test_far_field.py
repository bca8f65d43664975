"""Waves of a known source, carried from a cylinder to the far field."""
import unittest

import numpy as np

from ventaris.core.sound.far_field import carried_frequencies, extrapolate, valid_angles

X, RADIUS, RATE, TONE = np.linspace(-2.9, 11.5, 140), 2.5, 8.0, 0.6


def source(at, strength=1.0, phase=0.0):
    """Pressure on the cylinder of a source of waves on the axis, whose far field is strength / distance."""
    t = np.arange(0, 100, 1 / RATE)[:, None]
    distance = np.hypot(X - at, RADIUS)
    return strength * np.cos(2 * np.pi * TONE * (t - distance) + phase) / distance


class FarFields(unittest.TestCase):
    def levels(self, pressure, angles):
        found = extrapolate(X, RADIUS, pressure, RATE, angles, int(60 * RATE))
        return 10 * np.log10(found.mean_square(TONE - 0.1, TONE + 0.1) / 0.5)

    def test_a_source_is_as_loud_as_it_is_from_every_valid_angle(self):
        # Exact: 1 over the distance, the same at all angles; a cylinder of finite length leaves a ripple of
        # about 1 dB, and 3 dB at the last valid angles.
        for at in (1.0, 3.0, 5.0):
            low, high = valid_angles(X, RADIUS, (at, at))
            self.assertLess(np.abs(self.levels(source(at), np.arange(low + 7, high - 7, 3))).max(), 1.25)
            self.assertLess(np.abs(self.levels(source(at), [low, high])).max(), 3.0)

    def test_two_sources_cancel_where_they_must(self):
        # Half a wave apart and in phase: nothing along the axis, twice the pressure abeam.
        half = 0.5 / TONE
        abeam, slanted = self.levels(source(3.0) + source(3.0 + half), [90.0, 60.0])
        self.assertAlmostEqual(abeam, 6.02, delta=0.3)
        self.assertAlmostEqual(slanted, 20 * np.log10(2 * np.cos(np.pi / 2 * np.cos(np.radians(60)))),
                               delta=0.8)

    def test_what_the_cylinder_carries_is_said(self):
        low, high = carried_frequencies(X)
        self.assertAlmostEqual(low, 2 / 14.4)
        self.assertAlmostEqual(high, 1 / (6 * (X[1] - X[0])))
        found = extrapolate(X, RADIUS, source(3.0), RATE, [90.0], 480)
        self.assertTrue(((found.frequency >= low) & (found.frequency <= high)).all())

    def test_a_record_shorter_than_a_segment_is_refused(self):
        with self.assertRaisesRegex(ValueError, "Record for longer"):
            extrapolate(X, RADIUS, source(3.0)[:100], RATE, [90.0], 480)
