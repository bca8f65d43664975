"""Sound and signals: spectra, levels and tones."""
