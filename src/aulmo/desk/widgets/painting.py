"""Painting that always ends: a painter that an error leaves open takes the whole window down."""

import functools
from typing import Any, Callable

from PySide6.QtGui import QPainter


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
