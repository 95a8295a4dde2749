"""A measured lamp's light as its curve: candela by direction, as lighting designers read it."""

import functools

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from aulmo.desk.shell import theme
from aulmo.desk.widgets.painting import painted
from aulmo.document.assets import AssetStore
from aulmo.light.photometry import Profile, read_ies


@functools.lru_cache(maxsize=32)
def _profile(blob: bytes, name: str) -> Profile:
    return read_ies(blob, name)


class CandelaCurve(QWidget):
    """Straight down is down; a full line across the lamp, a dashed one along it; rings at even shares of the strongest."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(132)
        self.setAccessibleName("Measured light")
        self.profile: Profile | None = None

    def show_profile(self, assets: AssetStore, name: str | None) -> None:
        """Show a lamp's file, or nothing."""
        self.profile = _profile(assets.get(name), name) if name else None
        self.setToolTip(f"{self.profile.flux:.0f} lm, {self.profile.candela.max():.0f} cd at most" if self.profile is not None else "")
        self.update()

    def curve(self, plane: float) -> np.ndarray:
        """(n, 2) right and down, in shares of the strongest, of the half planes at `plane` and opposite it, in degrees."""
        assert self.profile is not None
        candela = self.profile.candela / max(1e-9, float(self.profile.candela.max()))
        angle = np.radians(np.arange(181))
        one, other = candela[:, int(plane) % 360], candela[:, int(plane + 180) % 360]
        right = np.stack([one * np.sin(angle), one * np.cos(angle)], 1)
        left = np.stack([-other * np.sin(angle), other * np.cos(angle)], 1)
        return np.concatenate([left[::-1], right])

    @painted
    def paintEvent(self, painter) -> None:  # noqa: N802
        """Draw."""
        if self.profile is None:
            return
        t = theme.current()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        lines = {plane: self.curve(plane) for plane in (0.0, 90.0)}
        top = min(0.0, float(min(line[:, 1].min() for line in lines.values())))
        scale = min((self.height() - 26) / (1.0 - top), (self.width() - 60) / 2.0)
        x0, y0 = self.width() / 2, 10 - top * scale
        painter.setPen(QPen(QColor(t.line), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for share in (0.25, 0.5, 0.75, 1.0):
            painter.drawEllipse(QPointF(x0, y0), share * scale, share * scale)
        painter.drawLine(QPointF(x0 - scale, y0), QPointF(x0 + scale, y0))
        painter.drawLine(QPointF(x0, y0), QPointF(x0, y0 + scale))
        for plane, style in ((90.0, Qt.PenStyle.DashLine), (0.0, Qt.PenStyle.SolidLine)):
            painter.setPen(QPen(QColor(t.accent_hover), 1.6, style))
            painter.drawPolyline(QPolygonF([QPointF(x0 + scale * x, y0 + scale * y) for x, y in lines[plane].tolist()]))
        painter.setPen(QColor(t.quiet))
        painter.drawText(QPointF(8, self.height() - 4), f"{self.profile.candela.max():.0f} cd")
        painter.drawText(QPointF(self.width() - 62, self.height() - 4), f"{self.profile.flux:.0f} lm")
