"""Ordolex: find, match, prove, talk over and record serial links."""

__version__ = "0.1.0"
