"""Oakbeam: build and apply exposure technique charts."""

__version__ = "0.2.0"
