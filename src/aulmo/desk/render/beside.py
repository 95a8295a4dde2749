"""Two renders over one another: what is left of a line is the first, what is right of it the second; and what they were made with."""

from pathlib import Path
from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap
from PySide6.QtWidgets import QDialog, QVBoxLayout, QWidget

from aulmo.deliver.job import Job
from aulmo.desk.shell import theme
from aulmo.desk.widgets.fields import label
from aulmo.desk.widgets.painting import painted
from aulmo.document.quantity import duration, show
from aulmo.errors import BadFile


def picture_of(job: Job) -> QPixmap:
    """A job's picture: the file where that can be shown, else the small one. Raises BadFile when there is none."""
    record = job.record
    for path in (Path(record.out) if record.kind == "still" else None, job.picture_path()):
        if path is not None and path.is_file():
            found = QPixmap(str(path))
            if not found.isNull():
                return found
    raise BadFile(f"There is no picture of {record.title} to show yet.")


def told(job: Job) -> str:
    """What a job was made with, in one line."""
    result, record = job.result(), job.record
    found = [f"{record.width} × {record.height}"] if record.width else []
    found += [f"{result['samples']} samples"] if result.get("samples") else []
    found += [f"noise {show(100 * result['noise'], '%', 1)}"] if result.get("noise") else []
    found += [duration(result["seconds"])] if result.get("seconds") else []
    return " · ".join([record.title, *found])


class _Wipe(QWidget):
    def __init__(self, one: QPixmap, other: QPixmap) -> None:
        super().__init__()
        self.pictures, self.share = (one, other), 0.5
        self.setMinimumSize(480, 320)
        self.setAccessibleName("Two renders")
        self.setCursor(Qt.CursorShape.SplitHCursor)

    @painted
    def paintEvent(self, painter: QPainter) -> None:  # noqa: N802
        """Draw."""
        painter.fillRect(self.rect(), QColor(theme.current().surround))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        cut = self.share * self.width()
        for k, picture in enumerate(self.pictures):
            f = min(self.width() / picture.width(), self.height() / picture.height())
            w, h = picture.width() * f, picture.height() * f
            painter.save()
            painter.setClipRect(QRectF(0, 0, cut, self.height()) if k == 0 else QRectF(cut, 0, self.width() - cut, self.height()))
            painter.drawPixmap(QRectF((self.width() - w) / 2, (self.height() - h) / 2, w, h), picture, QRectF(picture.rect()))
            painter.restore()
        painter.setPen(QPen(QColor("#f4f4f4"), 1))
        painter.drawLine(QPointF(cut, 0), QPointF(cut, self.height()))

    def mouseMoveEvent(self, event: Any) -> None:  # noqa: N802
        """Pull the line."""
        self.share = min(1.0, max(0.0, event.position().x() / max(1, self.width())))
        self.update()

    mousePressEvent = mouseMoveEvent  # noqa: N815


class Beside(QDialog):
    """A window of its own with the two."""

    def __init__(self, parent: QWidget, one: Job, other: Job) -> None:
        super().__init__(parent)
        self.setWindowTitle("Two renders")
        self.wipe = _Wipe(picture_of(one), picture_of(other))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 6)
        layout.addWidget(self.wipe, 1)
        for words in (f"Left: {told(one)}", f"Right: {told(other)}"):
            made = label(words)
            made.setContentsMargins(10, 0, 10, 0)
            layout.addWidget(made)
        self.resize(860, 640)
