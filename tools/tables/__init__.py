"""Offline makers of the beam model's tables: attenuation, spectra, scatter. `make tables` runs them; the app never does."""
