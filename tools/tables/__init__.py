"""Offline makers of the physics model's tables: attenuation, spectra, scatter. `make tables` runs them; the app never
does."""
