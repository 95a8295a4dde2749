"""Drawings and artwork are read in this process."""

import pytest

from aulmo.document.apart import here
from aulmo.prepare.carton import drawing, lay_out, plates


@pytest.fixture(autouse=True)
def _read_here(monkeypatch):
    read = here(drawing.read_drawing)
    monkeypatch.setattr(drawing, "read_drawing", read)
    monkeypatch.setattr(lay_out, "read_drawing", read)
    monkeypatch.setattr(plates, "read_plates", here(plates.read_plates))
