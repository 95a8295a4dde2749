"""Painting that always ends (a painter that an error leaves open takes the whole window down), and images of display values."""

import functools
from typing import Any, Callable

import numpy as np
from PySide6.QtGui import QImage, QPainter


def image_of(display: np.ndarray) -> QImage:
    """(h, w, 3) display values 0..1 as an image."""
    h, w = display.shape[:2]
    codes = np.full((h, w, 4), 255, np.uint8)
    codes[..., :3] = np.rint(np.clip(display[..., 2::-1], 0, 1) * 255)
    return QImage(codes.data, w, h, w * 4, QImage.Format.Format_RGB32).copy()


def painted(draw: Callable[[Any, QPainter], None]) -> Callable[[Any, Any], None]:
    """A widget's paintEvent out of a method that draws with a painter."""

    @functools.wraps(draw)
    def paint_event(self: Any, event: Any) -> None:
        painter = QPainter(self)
        try:
            draw(self, painter)
        finally:
            painter.end()

    return paint_event
