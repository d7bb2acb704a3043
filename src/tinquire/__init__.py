"""Tin Quire: a docket says how a period's pack is made from its sources; this package makes it."""

__version__ = "0.1.0"
