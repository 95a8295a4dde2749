"""Aulmo: from CAD models to photoreal product pictures."""

__version__ = "0.26.0"
