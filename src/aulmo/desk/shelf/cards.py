"""A thing as a card: its small picture, its name on up to two lines, and what it is."""

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPointF, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QFontMetrics, QPainter, QPainterPath, QPen, QPixmap, QTextLayout, QTextOption
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from aulmo.desk.shelf.shelf_model import THING, ShelfModel
from aulmo.desk.shell import theme
from aulmo.shelf.things import Thing
from aulmo.surface.colour import to_hex

LEAST, HIGH = 78, 118  # of a card, in pixels
PAD = 6


class Cards(QStyledItemDelegate):
    """Paints things. `size` is that of a card, set by the list to fill its width."""

    def __init__(self, model: ShelfModel) -> None:
        super().__init__(model)
        self.model = model
        self.size = QSize(LEAST, HIGH)
        self._lines: dict[tuple[str, int], list[str]] = {}

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:  # noqa: N802
        """All alike."""
        return self.size

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> None:
        """Draw."""
        thing: Thing = index.data(THING)
        t = theme.current()
        state, rect = option.state, option.rect.adjusted(2, 2, -2, -2)  # type: ignore[attr-defined]
        chosen, under = bool(state & QStyle.StateFlag.State_Selected), bool(state & QStyle.StateFlag.State_MouseOver)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(t.accent if chosen else t.line if under else t.field), 2 if chosen else 1))
        painter.setBrush(QColor(t.raised if under and not chosen else t.field))
        painter.drawRoundedRect(QRectF(rect).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        place = QRect(rect.x() + PAD, rect.y() + PAD, rect.width() - 2 * PAD, rect.height() - 56)
        self._picture(painter, thing, place)
        font = QFont(option.font)  # type: ignore[attr-defined]
        font.setPixelSize(max(10, font.pixelSize() - 1) if font.pixelSize() > 0 else 12)
        font.setWeight(QFont.Weight.DemiBold)
        painter.setFont(font)
        painter.setPen(QColor(t.quiet if thing.trouble else t.text))
        metrics = QFontMetrics(font)
        lines = self._name(thing.name, font, metrics, place.width())
        y = rect.bottom() - 18 - metrics.height() * len(lines) + metrics.ascent() - 1
        for line in lines:
            painter.drawText(QPointF(place.x(), y), line)
            y += metrics.height()
        small = QFont(font)
        small.setPixelSize(max(9, font.pixelSize() - 2))
        small.setWeight(QFont.Weight.Normal)
        painter.setFont(small)
        painter.setPen(QColor(t.fault if thing.trouble else t.quiet))
        said = "cannot be read" if thing.trouble else thing.told if thing.kind == "swatch" else " · ".join(w for w in (thing.kind, thing.told) if w)
        painter.drawText(QPointF(place.x(), rect.bottom() - 7), QFontMetrics(small).elidedText(said, Qt.TextElideMode.ElideRight, place.width()))
        painter.restore()

    def _picture(self, painter: QPainter, thing: Thing, place: QRect) -> None:
        pixmap = self.model.pictures.of(thing) if thing.kind != "colour" else None
        clip = QPainterPath()
        clip.addRoundedRect(QRectF(place), 3, 3)
        painter.save()
        painter.setClipPath(clip)
        if thing.kind == "colour":
            painter.fillRect(place, QColor(to_hex(self.model.rgb_of(thing))))
        elif pixmap is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawPixmap(place, pixmap, _cut(pixmap, place))
        else:
            painter.fillRect(place, QColor(theme.current().window))
            name = "warning" if thing.trouble else ICONS.get(thing.kind, "image")
            icon = theme.icon(name, theme.current().quiet, 22).pixmap(QSize(22, 22))
            painter.drawPixmap(place.center().x() - 11, place.center().y() - 11, icon)
        painter.restore()

    def _name(self, name: str, font: QFont, metrics: QFontMetrics, width: int) -> list[str]:
        """A name on one line or two, the second without what does not fit."""
        key = (name, width)
        if key not in self._lines:
            if len(self._lines) > 20_000:
                self._lines.clear()
            layout = QTextLayout(name, font)
            option = QTextOption()
            option.setWrapMode(QTextOption.WrapMode.WrapAtWordBoundaryOrAnywhere)
            layout.setTextOption(option)
            layout.beginLayout()
            first = layout.createLine()
            first.setLineWidth(width)
            length = first.textLength()
            layout.endLayout()
            if length >= len(name):
                self._lines[key] = [name]
            elif length < 3:  # one long word
                self._lines[key] = [metrics.elidedText(name, Qt.TextElideMode.ElideMiddle, width)]
            else:
                rest = metrics.elidedText(name[length:].strip(), Qt.TextElideMode.ElideMiddle, width)
                self._lines[key] = [metrics.elidedText(name[:length].strip(), Qt.TextElideMode.ElideRight, width), rest]
        return self._lines[key]


ICONS = {
    "swatch": "swatches", "light set": "lightbulb", "dome": "globe-hemisphere-west", "light picture": "square", "lamp": "lamp", "prop": "cube",
    "picture": "image", "picture set": "images", "artwork": "sticker", "photograph": "image-square", "finish": "sliders-horizontal",
        "board": "note-blank",
    "carton": "package", "model": "cube-transparent", "film": "film-strip", "colour table": "palette",
}  # fmt: skip


def _cut(pixmap: QPixmap, place: QRect) -> QRect:
    """The middle of a picture in the shape of a place."""
    w, h = pixmap.width(), pixmap.height()
    if w * place.height() > h * place.width():
        wide = round(h * place.width() / max(1, place.height()))
        return QRect((w - wide) // 2, 0, wide, h)
    high = round(w * place.height() / max(1, place.width()))
    return QRect(0, (h - high) // 2, w, high)
