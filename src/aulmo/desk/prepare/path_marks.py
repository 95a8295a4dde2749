"""Paths drawn over the picture in Prepare, and taken by a click on them."""

from typing import Any

import numpy as np
from PySide6.QtGui import QPainter

from aulmo.desk.picture.overlay import Overlay
from aulmo.desk.prepare.path_tool import draw_path
from aulmo.document.made import paths
from aulmo.errors import BadValue

GRASP = 6.0


class PathMarks(Overlay):
    """An overlay of the picture."""

    def __init__(self, picture: Any) -> None:
        self.picture, self.session = picture, picture.session

    def shown(self) -> bool:
        """Only where the set is built."""
        return self.session.stage == "Prepare" and bool(self.session.document.paths)

    def draw(self, painter: QPainter) -> None:
        """All paths; the selected one with its points."""
        for path in self.session.document.paths.values():
            draw_path(self.picture, painter, path, self.session.subject == f"paths/{path.id}")

    def at(self, x: float, y: float) -> str:
        """The path under a point."""
        for path in self.session.document.paths.values():
            try:
                line = self.picture.places_on_screen(paths.line(path))
            except BadValue:
                continue
            a, b = line[:-1], line[1:]
            seen = (a[:, 2] > 0) & (b[:, 2] > 0)
            way = b[:, :2] - a[:, :2]
            share = np.clip((([x, y] - a[:, :2]) * way).sum(1) / np.maximum((way * way).sum(1), 1e-9), 0, 1)
            far = np.linalg.norm(a[:, :2] + share[:, None] * way - [x, y], axis=1)
            if seen.any() and far[seen].min() < GRASP:
                return f"paths/{path.id}"
        return ""

    def words(self, address: str) -> tuple[str, str]:
        """Its name and how long it is."""
        from aulmo.desk.prepare.measure_tool import length

        path = self.session.document.paths[address[6:]]
        return path.name, length(paths.length(path))
