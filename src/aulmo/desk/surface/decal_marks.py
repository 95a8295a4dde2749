"""Decals under the cursor: named, and taken with a click."""

from typing import Any

from PySide6.QtCore import QPoint
from PySide6.QtGui import QPainter

from aulmo.desk.picture.overlay import Overlay
from aulmo.desk.surface.decal_tool import spot_of
from aulmo.prepare import sticking


class DecalMarks(Overlay):
    """Draws nothing: decals are seen already."""

    def __init__(self, picture: Any) -> None:
        self.picture, self.session = picture, picture.session

    def shown(self) -> bool:
        """Where surfaces are worked on."""
        return self.session.stage == "Surface" and bool(self.session.document.decals) and self.session.tool in ("", "decal")

    def draw(self, painter: QPainter) -> None:
        """Nothing."""

    def at(self, x: float, y: float) -> str:
        """The address of the topmost decal under a point, or nothing."""
        spot = spot_of(self.picture, QPoint(round(x), round(y)))
        found = sticking.decal_at(self.session.document, spot.part, spot.point, spot.normal) if spot is not None else None
        return f"decals/{found}" if found is not None else ""

    def words(self, address: str) -> tuple[str, str]:
        """Its name, and what it lies on."""
        decal = self.session.document.decals[address[7:]]
        part = self.session.document.parts.get(decal.parts[0]) if decal.parts else None
        where = {"part": "on", "alike": "on every part like", "region": "region from"}[decal.belongs]
        return decal.name, f"{where} {part.name}" if part is not None else "region"
