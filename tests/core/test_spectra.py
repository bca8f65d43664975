"""The chain from a signal to its tones."""
import unittest

import numpy as np

from ventaris.core.sound.spectra import find_tones, level, spectrum


class Chain(unittest.TestCase):
    def setUp(self):
        rng = np.random.default_rng(5)
        self.rate, self.t = 20_000.0, np.arange(60_000) / 20_000.0
        self.noise = 0.5 * rng.normal(size=len(self.t))
        self.signal = self.noise + 3.0 * np.sin(
            2 * np.pi * 1234.5 * self.t) + 0.9 * np.sin(2 * np.pi * 2469.0 * self.t + 1)

    def test_a_tone_in_noise(self):
        found = spectrum(self.signal, self.rate, 4096)
        tones = find_tones(found)
        # Within half a bin and 0.3 dB.
        self.assertLess(abs(tones[0].frequency - 1234.5), 0.5 * found.step)
        self.assertLess(abs(20 * np.log10(tones[0].rms / (3.0 / 2**0.5))), 0.3)
        self.assertEqual([t.harmonic for t in tones[:2]], [1, 2])
        self.assertGreater(tones[0].prominence, 30)

    def test_no_tone_in_noise_alone(self):
        self.assertEqual(find_tones(spectrum(self.noise, self.rate, 2048)), [])

    def test_the_density_holds_the_mean_square(self):
        # Parseval holds exactly for one segment with its window's own mean square.
        y = self.signal[:8192] - self.signal[:8192].mean()
        window = np.hanning(8193)[:-1]
        windowed = (y - y.mean()) * window
        found = spectrum(y, self.rate, 8192)
        self.assertAlmostEqual(found.mean_square / ((windowed**2).sum() / (window**2).sum()), 1.0,
                               delta=1e-10)
        self.assertEqual(found.segments, 1)
        whole = spectrum(self.signal, self.rate, 4096)
        self.assertAlmostEqual(whole.mean_square / self.signal.var(), 1.0, delta=0.01)
        self.assertEqual(whole.segments, 28)

    def test_levels(self):
        self.assertAlmostEqual(level(1.0), 93.979, places=3)
        self.assertAlmostEqual(level(4.0) - level(1.0), 6.0206, places=4)

    def test_too_short_a_record_says_so(self):
        with self.assertRaisesRegex(ValueError, "Record for longer"):
            spectrum(np.zeros(40), 1.0)


if __name__ == "__main__":
    unittest.main()
