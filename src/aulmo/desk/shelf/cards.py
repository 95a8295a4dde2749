"""A thing as a card: its small picture, its name on up to two lines, and what it is."""

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPointF, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QFontMetrics, QPainter, QPen, QPixmap, QTextLayout, QTextOption
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
        self._made: tuple[QFont, tuple[QFont, QFont, QFontMetrics, QFontMetrics]] | None = None
        self._fitted: dict[tuple[int, int, int, float], QPixmap] = {}
        self._icons: dict[tuple[str, str], QPixmap] = {}

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
        bold, small, metrics, small_metrics = self._fonts(option.font)  # type: ignore[attr-defined]
        painter.setFont(bold)
        painter.setPen(QColor(t.quiet if thing.trouble else t.text))
        lines = self._name(thing.name, bold, metrics, place.width())
        y = rect.bottom() - 18 - metrics.height() * len(lines) + metrics.ascent() - 1
        for line in lines:
            painter.drawText(QPointF(place.x(), y), line)
            y += metrics.height()
        painter.setFont(small)
        painter.setPen(QColor(t.fault if thing.trouble else t.quiet))
        said = "cannot be read" if thing.trouble else thing.told if thing.kind == "swatch" else " · ".join(w for w in (thing.kind, thing.told) if w)
        key = (said, -place.width())
        if key not in self._lines:
            self._lines[key] = [small_metrics.elidedText(said, Qt.TextElideMode.ElideRight, place.width())]
        painter.drawText(QPointF(place.x(), rect.bottom() - 7), self._lines[key][0])
        painter.restore()

    def _fonts(self, base: QFont) -> tuple[QFont, QFont, QFontMetrics, QFontMetrics]:
        """Those of names and of what a thing is, with their measures; made once."""
        if self._made is None or self._made[0] != base:
            bold = QFont(base)
            bold.setPixelSize(max(10, bold.pixelSize() - 1) if bold.pixelSize() > 0 else 12)
            bold.setWeight(QFont.Weight.DemiBold)
            small = QFont(bold)
            small.setPixelSize(max(9, bold.pixelSize() - 2))
            small.setWeight(QFont.Weight.Normal)
            self._made = (QFont(base), (bold, small, QFontMetrics(bold), QFontMetrics(small)))
            self._lines.clear()
        return self._made[1]

    def _picture(self, painter: QPainter, thing: Thing, place: QRect) -> None:
        if thing.kind == "colour":
            painter.fillRect(place, QColor(to_hex(self.model.rgb_of(thing))))
            return
        pixmap = self.model.pictures.of(thing)
        if pixmap is not None:
            ratio = painter.device().devicePixelRatioF()
            key = (pixmap.cacheKey(), place.width(), place.height(), ratio)
            fitted = self._fitted.get(key)
            if fitted is None:
                if len(self._fitted) > 2000:
                    self._fitted.clear()
                size = QSize(round(place.width() * ratio), round(place.height() * ratio))
                whole = pixmap.copy(_cut(pixmap, place))
                fitted = whole.scaled(size, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation)
                fitted.setDevicePixelRatio(ratio)
                self._fitted[key] = fitted
            painter.drawPixmap(place.topLeft(), fitted)
            return
        painter.fillRect(place, QColor(theme.current().window))
        name = "warning" if thing.trouble else ICONS.get(thing.kind, "image")
        icon = self._icons.get((name, theme.current().quiet))
        if icon is None:
            icon = self._icons[name, theme.current().quiet] = theme.icon(name, theme.current().quiet, 22).pixmap(QSize(22, 22))
        painter.drawPixmap(place.center().x() - 11, place.center().y() - 11, icon)

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
    "picture": "image", "picture set": "stack", "artwork": "sticker", "photograph": "image-square", "finish": "sliders-horizontal",
    "board": "note-blank", "carton": "package", "model": "gear-six", "film": "film-strip", "colour table": "palette",
}  # fmt: skip


def _cut(pixmap: QPixmap, place: QRect) -> QRect:
    """The middle of a picture in the shape of a place."""
    w, h = pixmap.width(), pixmap.height()
    if w * place.height() > h * place.width():
        wide = round(h * place.width() / max(1, place.height()))
        return QRect((w - wide) // 2, 0, wide, h)
    high = round(w * place.height() / max(1, place.width()))
    return QRect(0, (h - high) // 2, w, high)
