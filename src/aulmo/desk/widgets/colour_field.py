"""A colour: its hex code, a chip that opens the picker; the picker with swatch wells, temperature."""

from typing import Callable

from PySide6.QtCore import QMimeData, QPoint, QRectF, QSettings, Qt, Signal
from PySide6.QtGui import QAction, QColor, QLinearGradient, QPainter, QPen
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.widgets.fields import Dot, NumberField, row
from aulmo.desk.widgets.painting import painted
from aulmo.errors import BadValue
from aulmo.surface.colour import from_hex, from_temperature, to_hex

Colour = tuple[float, float, float]


class Chip(QPushButton):
    """A patch of colour."""

    def __init__(self, width: int = 40) -> None:
        super().__init__()
        self.setFixedSize(width, 22)
        self.colour: Colour = (0.5, 0.5, 0.5)
        self.setStyleSheet("min-height: 20px; padding: 0; margin: 0;")
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    @painted
    def paintEvent(self, painter) -> None:  # noqa: N802
        """Draw."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        edge = theme.current().accent_hover if self.hasFocus() else theme.current().line
        painter.setPen(QPen(QColor(edge), 1))
        painter.setBrush(QColor(to_hex(self.colour)))
        painter.drawRoundedRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1), 3, 3)


class _Plane(QWidget):
    """Saturation across, value upward, for one hue; a hue strip beside it."""

    picked = Signal(QColor, bool)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(228, 140)
        self.hue, self.saturation, self.value = 0.0, 0.0, 0.5
        self._on_strip = False

    def set_colour(self, colour: QColor) -> None:
        """Show a colour."""
        if colour.hueF() >= 0:
            self.hue = colour.hueF()
        self.saturation, self.value = colour.saturationF(), colour.valueF()
        self.update()

    @painted
    def paintEvent(self, painter) -> None:  # noqa: N802
        """Draw."""
        across = QLinearGradient(0, 0, 200, 0)
        across.setColorAt(0, QColor("white"))
        across.setColorAt(1, QColor.fromHsvF(self.hue, 1, 1))
        painter.fillRect(0, 0, 200, 140, across)
        down = QLinearGradient(0, 0, 0, 140)
        down.setColorAt(0, QColor(0, 0, 0, 0))
        down.setColorAt(1, QColor(0, 0, 0))
        painter.fillRect(0, 0, 200, 140, down)
        strip = QLinearGradient(0, 0, 0, 140)
        for k in range(7):
            strip.setColorAt(k / 6, QColor.fromHsvF(min(0.999, k / 6), 1, 1))
        painter.fillRect(210, 0, 18, 140, strip)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor("white" if self.value < 0.6 else "black"), 1.5))
        painter.drawEllipse(QRectF(self.saturation * 200 - 5, (1 - self.value) * 140 - 5, 10, 10))
        painter.setPen(QPen(QColor("white"), 2))
        painter.drawRect(QRectF(209, self.hue * 140 - 2, 20, 4))

    def mousePressEvent(self, event) -> None:  # noqa: N802
        """Begin."""
        self._on_strip = event.position().x() > 204
        self._take(event, True)

    def mouseMoveEvent(self, event) -> None:  # noqa: N802
        """Go on."""
        self._take(event, True)

    def mouseReleaseEvent(self, event) -> None:  # noqa: N802
        """Done."""
        self._take(event, False)

    def _take(self, event, busy: bool) -> None:
        x, y = event.position().x(), event.position().y()
        if self._on_strip:
            self.hue = min(0.999, max(0.0, y / 140))
        else:
            self.saturation, self.value = min(1.0, max(0.0, x / 200)), min(1.0, max(0.0, 1 - y / 140))
        self.update()
        self.picked.emit(QColor.fromHsvF(self.hue, self.saturation, self.value), busy)


class Picker(QFrame):
    """The one colour picker: plane, hex, temperature, wells that remember."""

    changed = Signal(object, bool)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("picker")
        self.setStyleSheet(f"QFrame#picker {{ background: {theme.current().panel}; border: 1px solid {theme.current().line}; }}")
        self.plane = _Plane()
        self.hex = QLineEdit()
        self.hex.setAccessibleName("Hex")
        self.temperature = NumberField("K", 1667, 25000, 0)
        self.temperature.setPlaceholderText("K")
        self.wells: list[Chip] = []
        grid = QGridLayout()
        grid.setSpacing(4)
        for k in range(16):
            well = Chip(25)
            well.setToolTip("Click to use · right-click to keep the current colour here")
            well.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
            well.customContextMenuRequested.connect(lambda _, i=k: self._keep(i))
            well.clicked.connect(lambda _=False, i=k: self._use(self.wells[i].colour))
            self.wells.append(well)
            grid.addWidget(well, k // 8, k % 8)
        line = QHBoxLayout()
        line.addWidget(self.hex)
        line.addWidget(self.temperature)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 12, 12, 12)
        layout.addWidget(self.plane)
        layout.addLayout(line)
        layout.addLayout(grid)
        self.plane.picked.connect(lambda c, busy: self._use(from_hex(c.name()), busy))
        self.hex.editingFinished.connect(self._typed)
        self.temperature.edited.connect(self._warm)
        self._colour: Colour = (0.5, 0.5, 0.5)
        self._load()

    def open_at(self, at: QPoint, colour: Colour) -> None:
        """Show the picker for a colour, with the wells as they are kept now: another picker may have been at them."""
        self._load()
        self.set_colour(colour)
        self.adjustSize()
        screen = self.screen().availableGeometry()
        self.move(min(at.x(), screen.right() - self.width()), min(at.y(), screen.bottom() - self.height()))
        self.show()

    def set_colour(self, colour: Colour) -> None:
        """Show a colour without telling anybody."""
        self._colour = colour
        code = to_hex(colour)
        self.hex.setText(code)
        self.plane.set_colour(QColor(code))

    def _use(self, colour: Colour, busy: bool = False) -> None:
        self._colour = colour
        self.hex.setText(to_hex(colour))
        if not busy:
            self.plane.set_colour(QColor(to_hex(colour)))
        self.changed.emit(colour, busy)

    def _typed(self) -> None:
        try:
            colour = from_hex(self.hex.text())
        except BadValue as error:
            self.hex.setToolTip(str(error))
            self.hex.setText(to_hex(self._colour))
            return
        if to_hex(colour) != to_hex(self._colour):
            self._use(colour)

    def _warm(self, kelvin: float) -> None:
        tint = from_temperature(kelvin)
        top = max(tint)
        self._use((tint[0] / top, tint[1] / top, tint[2] / top))

    def _load(self) -> None:
        kept = str(QSettings().value("wells", "") or "").split()
        start = [
            "#ffffff",
            "#bfbfbf",
            "#7f7f7f",
            "#3f3f3f",
            "#141414",
            "#7a1f14",
            "#c2541c",
            "#ded3ba",
            "#1c4030",
            "#5f7038",
            "#2b5378",
            "#4b2a58",
            "#9c2036",
            "#b58a5c",
            "#5a3a24",
            "#e8b24a",
        ]
        for well, code in zip(self.wells, kept if len(kept) == 16 else start):
            well.colour = from_hex(code)

    def _keep(self, index: int) -> None:
        self.wells[index].colour = self._colour
        self.wells[index].update()
        QSettings().setValue("wells", " ".join(to_hex(w.colour) for w in self.wells))


class ColourRow(QWidget):
    """Label, hex code and chip of one colour. `changed` carries the colour and whether the hand is still moving."""

    changed = Signal(object, bool)
    trouble = Signal(str)
    menu_wanted = Signal(object)

    def __init__(self, text: str, default: Colour | None = None, dot: Dot | None = None) -> None:
        super().__init__()
        self.default = default
        self.hex = QLineEdit()
        self.hex.setAccessibleName(text)
        self.chip = Chip()
        self.chip.setAccessibleName(f"{text}, choose")
        self._colour: Colour = (0.0, 0.0, 0.0)
        self._picker: Picker | None = None
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(row(text, self.hex, dot=dot), 1)
        layout.addWidget(self.chip, 0, Qt.AlignmentFlag.AlignVCenter)
        layout.setSpacing(6)
        self.hex.editingFinished.connect(self._typed)
        self.chip.clicked.connect(self._open)
        self._name = ""
        self._mark: QAction | None = None
        self.takes: Callable[[QMimeData, bool], bool] | None = None  # whether it takes what is dragged, and takes it
        self.setAcceptDrops(True)
        self.hex.setAcceptDrops(False)
        for one in (self.chip, self.hex):
            one.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
            one.customContextMenuRequested.connect(lambda at, w=one: self.menu_wanted.emit(w.mapToGlobal(at)))

    def dragEnterEvent(self, event) -> None:  # noqa: N802
        """What a colour can be taken from may come."""
        if self.takes is not None and self.takes(event.mimeData(), False):
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:  # noqa: N802
        """Take it."""
        if self.takes is not None and self.takes(event.mimeData(), True):
            event.acceptProposedAction()

    def set_name(self, name: str) -> None:
        """Say which colour of the project it follows; "" for none."""
        if name == self._name:
            return
        self._name = name
        if self._mark is not None:
            self.hex.removeAction(self._mark)
            self._mark = None
        if name:
            self._mark = self.hex.addAction(theme.icon("link", theme.current().accent_text, 12), QLineEdit.ActionPosition.TrailingPosition)
            self._mark.setToolTip(f"Follows {name}, a colour of the project")
            self._mark.triggered.connect(lambda: self.menu_wanted.emit(self.hex.mapToGlobal(self.hex.rect().bottomLeft())))
        self.hex.setToolTip(f"Follows {name}, a colour of the project" if name else "")

    def set_value(self, colour: Colour) -> None:
        """Show a colour without telling anybody."""
        if tuple(colour) == self._colour and self.hex.text():
            return
        self._colour = (colour[0], colour[1], colour[2])
        if not self.hex.hasFocus():
            self.hex.setText(to_hex(colour))
        self.chip.colour = self._colour
        self.chip.update()

    def _typed(self) -> None:
        try:
            colour = from_hex(self.hex.text())
        except BadValue as error:
            self.trouble.emit(str(error))
            self.hex.setText(to_hex(self._colour))
            return
        if to_hex(colour) != to_hex(self._colour):
            self.changed.emit(colour, False)

    def _open(self) -> None:
        if self._picker is None:
            self._picker = Picker(self)
            self._picker.changed.connect(self.changed)
        self._picker.open_at(self.chip.mapToGlobal(QPoint(-200, 24)), self._colour)
