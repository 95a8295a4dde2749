"""The small widgets every panel is made of: number fields that take sums and units, slider rows, sections, segments."""

import math
from typing import Any, Callable

from PySide6.QtCore import QPointF, QRectF, QSettings, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QKeyEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QListWidget,
    QPushButton,
    QSizePolicy,
    QSlider,
    QStyle,
    QStyleOptionComboBox,
    QStylePainter,
    QToolTip,
    QVBoxLayout,
    QWidget,
)

from aulmo.desk.shell import theme
from aulmo.desk.widgets.painting import painted
from aulmo.desk.widgets.texts import MIDDLE, Button, Line, Sentence
from aulmo.document.quantity import parse, show
from aulmo.errors import BadValue

LABEL_WIDTH, FIELD_WIDTH = 84, 76
PADDING = 16  # pixels beside the number in a field
LENGTH_UNITS = {"mm": 1.0, "cm": 10.0, "in": 25.4}


def length_unit() -> tuple[str, float]:
    """The unit lengths are shown in, and its millimetres."""
    unit = QSettings().value("units", "mm")
    return (unit, LENGTH_UNITS[unit]) if unit in LENGTH_UNITS else ("mm", 1.0)


class NumberField(QLineEdit):
    """A number with a unit. Takes sums; says in a tooltip and a red edge what is wrong; Esc gives the old number back."""

    edited = Signal(float)
    trouble = Signal(str)

    def __init__(self, unit: str = "", low: float = -math.inf, high: float = math.inf, decimals: int = 2) -> None:
        super().__init__()
        self.unit, self.low, self.high, self.decimals = unit, low, high, decimals
        self._value = 0.0
        self._wrong: tuple[bool, str] = (False, "")
        self.bare = False
        self.optional = False  # whether nothing may stand in it
        self.named: Callable[[str], float | None] = lambda text: None  # what a word stands for that is no number
        self._plain = self.font()
        self.setMinimumWidth(36)
        self.editingFinished.connect(self._take)
        self.setAlignment(Qt.AlignmentFlag.AlignLeft)

    def value(self) -> float:
        """The number in the field's unit; lengths are always millimetres, whatever unit they are shown in."""
        return self._value

    def typed(self) -> float:
        """The number that stands there while it is still being typed. Raises BadValue."""
        return self._read()

    def _text(self, value: float) -> str:
        if self.unit != "mm":
            return show(value, "" if self.bare else self.unit, self.decimals)
        unit, factor = length_unit()
        return show(value / factor, "" if self.bare else unit, self.decimals + (0 if factor == 1 else 1 if factor == 10 else 2))

    def _read(self) -> float:
        meant = self.named(self.text())
        if meant is not None:
            return meant
        if self.unit != "mm":
            return parse(self.text(), self.unit, self.low, self.high)
        unit, factor = length_unit()
        return parse(self.text(), unit, self.low / factor, self.high / factor) * factor

    def set_value(self, value: float) -> None:
        """Show a number without telling anybody."""
        self._value = value
        if not self.hasFocus() or not self.isModified():
            text = self._text(value) if self.hasFocus() else self._fitted(value)
            if text != self.text():
                self.setText(text)
                self.setCursorPosition(0)
            self._mark(False)

    def _fitted(self, value: float) -> str:
        """The number as there is room for it: with fewer places, then without its unit."""
        text = self._text(value)
        if not self.isVisible():
            return text
        if not self.property("tight"):
            self._plain = self.font()
        if self._goes_in(text):
            self._tighten(False)
            return text
        decimals, bare = self.decimals, self.bare
        while self.decimals > 0 and not self._goes_in(text):
            self.decimals -= 1
            text = self._text(value)
        if not self._goes_in(text):
            self.bare = True
            text = self._text(value)
        self.decimals, self.bare = decimals, bare
        self._tighten(not self._goes_in(text))
        return text

    def _goes_in(self, text: str) -> bool:
        return QFontMetricsF(self._plain).horizontalAdvance(text) <= self.width() - PADDING

    def _tighten(self, tight: bool) -> None:
        """Smaller letters for what goes in by nothing else."""
        if tight != bool(self.property("tight")):
            self.setProperty("tight", tight)
            self.style().unpolish(self)
            self.style().polish(self)

    def resizeEvent(self, event) -> None:  # noqa: N802
        """Another room, other places."""
        super().resizeEvent(event)
        self._fit_again()

    def showEvent(self, event) -> None:  # noqa: N802
        """The same."""
        super().showEvent(event)
        self._fit_again()

    def _fit_again(self) -> None:
        if not self.isModified() and not self.hasFocus() and self.text() and not (self.optional and self._text(self._value) != self.text()):
            self.set_value(self._value)

    def focusInEvent(self, event) -> None:  # noqa: N802
        """All of the number while it is worked on."""
        whole = self._text(self._value)
        if not self.isModified() and self.text() and self.text() != whole and self.text() == self._fitted(self._value):
            self.setText(whole)
        super().focusInEvent(event)

    def focusOutEvent(self, event) -> None:  # noqa: N802
        """As much as there is room for again."""
        super().focusOutEvent(event)
        self._fit_again()

    def event(self, event) -> bool:
        """The whole number in the tip, where there was no room for it."""
        whole = self._text(self._value) if event.type() == event.Type.ToolTip else ""
        if whole and not self.toolTip() and self.text() and whole != self.text() and not self.isModified():
            QToolTip.showText(event.globalPos(), whole, self)
            return True
        return super().event(event)

    def _mark(self, wrong: bool, why: str = "") -> None:
        if (wrong, why) == self._wrong:
            return
        again = wrong != self._wrong[0]
        self._wrong = (wrong, why)
        self.setProperty("wrong", wrong)
        self.setToolTip(why)
        if again:  # styling a field anew is what takes long
            self.style().unpolish(self)
            self.style().polish(self)

    def _take(self) -> None:
        if not self.isModified():
            return
        if self.optional and not self.text().strip():
            self.setModified(False)
            self._mark(False)
            return
        try:
            value = self._read()
        except BadValue as error:
            self._mark(True, str(error))
            self.trouble.emit(str(error))
            return
        self.setModified(False)
        self._mark(False)
        changed = value != self._value
        self._value = value
        self.setText(self._text(value) if self.hasFocus() else self._fitted(value))
        if changed:
            self.edited.emit(value)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        """Esc gives up; up and down step by one in the last sensible place."""
        if event.key() == Qt.Key.Key_Escape:
            self.setModified(False)
            self.set_value(self._value)
            self.clearFocus()
            return
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            step = 10.0 ** -min(self.decimals, 1) if self.decimals else 1.0
            step *= 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            value = self._value + (step if event.key() == Qt.Key.Key_Up else -step)
            self.setText(self._text(min(self.high, max(self.low, value))))
            self.setModified(True)
            self._take()
            return
        super().keyPressEvent(event)


class Dot(QWidget):
    """A small mark before a row: a dot where the value differs from its default, a ring where the shot has its own, a flag where the choice
    that is seen does, a diamond where keys hold it. A click restores."""

    clicked = Signal()
    TIPS = {
        "": "", "changed": "Changed; click for the default", "own": "This shot has its own; click for the project's", "keyed": "Held by keys",
        "choice": "This choice has its own; click for the base’s",
    }  # fmt: skip

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(9, 18)
        self.mark = ""

    @property
    def is_on(self) -> bool:
        """Whether there is anything to restore."""
        return self.mark in ("changed", "own", "choice")

    def set_mark(self, mark: str) -> None:
        """Show "changed", "own", "choice", "keyed", or nothing."""
        if mark == self.mark:
            return
        self.mark = mark
        self.setCursor(Qt.CursorShape.PointingHandCursor if self.is_on else Qt.CursorShape.ArrowCursor)
        self.setToolTip(self.TIPS[mark])
        self.update()

    @painted
    def paintEvent(self, painter) -> None:  # noqa: N802
        """Draw."""
        if not self.mark:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        colour = QColor(theme.current().accent_hover)
        if self.mark == "choice":
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.current().caution))
            painter.drawPolygon(QPolygonF([QPointF(0.5, 5), QPointF(7.5, 5), QPointF(5, 8.5), QPointF(7.5, 12), QPointF(0.5, 12)]))
            return
        if self.mark == "own":
            painter.setPen(QPen(colour, 1.5))
            painter.drawEllipse(QRectF(1, 7, 5, 5))
            return
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        if self.mark == "keyed":
            painter.drawPolygon(QPolygonF([QPointF(3.5, 5.5), QPointF(7, 9), QPointF(3.5, 12.5), QPointF(0, 9)]))
        else:
            painter.drawEllipse(QRectF(1, 7, 5, 5))

    def mousePressEvent(self, event) -> None:  # noqa: N802
        """Restore."""
        if self.is_on:
            self.clicked.emit()


class KeyMark(QWidget):
    """A small ring after a field: hollow where no key is, half where keys hold the value, full where one stands at this time. A click sets or
    removes it."""

    clicked = Signal()
    TIPS = {"": "Set a key here", "held": "Held by keys; click for one here", "here": "A key stands here; click to remove it"}

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(13, 18)
        self.state = ""
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip(self.TIPS[""])

    def set_state(self, state: str) -> None:
        """Show "held", "here", or nothing."""
        if state != self.state:
            self.state = state
            self.setToolTip(self.TIPS[state])
            self.update()

    @painted
    def paintEvent(self, painter) -> None:  # noqa: N802
        """Draw."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = theme.current()
        colour = QColor(t.accent_hover if self.state else t.quiet)
        if not self.state:
            colour.setAlpha(110)
        painter.setPen(QPen(colour, 1.3))
        painter.setBrush(colour if self.state == "here" else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(6.5, 9), 3.6, 3.6)
        if self.state == "held":
            painter.setBrush(colour)
            painter.drawPie(QRectF(2.9, 5.4, 7.2, 7.2), 90 * 16, 180 * 16)

    def mousePressEvent(self, event) -> None:  # noqa: N802
        """Set or remove."""
        self.clicked.emit()


def row(label: str, *widgets: QWidget, dot: Dot | None = None, tip: str = "") -> QWidget:
    """A labelled row of a panel."""
    box = QWidget()
    line = QHBoxLayout(box)
    line.setContentsMargins(0, 1, 0, 1)
    line.setSpacing(6)
    line.addWidget(dot or _spacer(9))
    text = Line(label)
    text.setObjectName("quiet")
    text.setFixedWidth(LABEL_WIDTH - 9)
    text.setToolTip(tip)
    line.addWidget(text)
    for widget in widgets:
        line.addWidget(widget, 1 if not isinstance(widget, (NumberField, QCheckBox)) or len(widgets) > 1 else 0)
    if len(widgets) == 1 and isinstance(widgets[0], (NumberField, QCheckBox)):
        line.addStretch(1)
    return box


def dialog_end(dialog: QDialog, words: str, take: Callable[[], Any]) -> QHBoxLayout:
    """The last line of a dialog: leave it, or what Return does."""
    line = QHBoxLayout()
    line.addStretch(1)
    leave, main = button("Leave it", dialog.close), button(words, take, "main")
    leave.setAutoDefault(False)
    main.setDefault(True)
    line.addWidget(leave)
    line.addWidget(main)
    return line


def button_row(*widgets: QWidget) -> QWidget:
    """Buttons in a line, where rows have their labels."""
    box = QWidget()
    line = QHBoxLayout(box)
    line.setContentsMargins(9, 2, 0, 2)
    line.setSpacing(8)
    for widget in widgets:
        line.addWidget(widget)
    line.addStretch(1)
    return box


def _spacer(width: int) -> QWidget:
    space = QWidget()
    space.setFixedWidth(width)
    return space


class SliderRow(QWidget):
    """Label, track and field of one number. The track shows the useful range; the field takes anything valid.

    `changed` carries the number and whether the hand is still on the slider.
    """

    changed = Signal(float, bool)
    trouble = Signal(str)

    def __init__(
        self, label: str, low: float, high: float, unit: str = "", default: float | None = None, decimals: int = 2,
        hard_low: float | None = None, hard_high: float = math.inf, curve: float = 1.0, tip: str = "", dot: Dot | None = None,
    ) -> None:  # fmt: skip
        super().__init__()
        self.low, self.high, self.default, self.curve = low, high, default, curve
        self.field = NumberField(unit, low if hard_low is None else hard_low, hard_high, decimals)
        self.field.setFixedWidth(FIELD_WIDTH)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, 1000)
        self.slider.setAccessibleName(label)
        self.field.setAccessibleName(label)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self._row = row(label, self.slider, dot=dot, tip=tip)
        layout.addWidget(self._row, 1)
        layout.addWidget(self.field)
        layout.setSpacing(8)
        self.slider.valueChanged.connect(self._slid)
        self.slider.sliderReleased.connect(lambda: self.changed.emit(self.field.value(), False))
        self.field.edited.connect(self._typed)
        self.field.trouble.connect(self.trouble)

    def set_title(self, title: str) -> None:
        """Call the row something else."""
        self._row.findChildren(QLabel)[0].setText(title)
        self.slider.setAccessibleName(title)
        self.field.setAccessibleName(title)

    def set_value(self, value: float) -> None:
        """Show a number without telling anybody."""
        self.field.set_value(value)
        share = (value - self.low) / (self.high - self.low) if self.high > self.low else 0.0
        if not self.slider.isSliderDown():
            self.slider.blockSignals(True)
            self.slider.setValue(round(1000 * min(1.0, max(0.0, share)) ** (1 / self.curve)))
            self.slider.blockSignals(False)

    def _slid(self, position: int) -> None:
        value = self.low + (self.high - self.low) * (position / 1000) ** self.curve
        value = round(value, max(self.field.decimals, 0))
        self.field.set_value(value)
        self.changed.emit(value, self.slider.isSliderDown())

    def _typed(self, value: float) -> None:
        self.set_value(value)
        self.changed.emit(value, False)


class Section(QWidget):
    """A heading that folds what is under it and remembers."""

    def __init__(self, title: str, key: str = "") -> None:
        super().__init__()
        self._key = f"sections/{key or title}"
        self.heading = QPushButton(title)
        self.heading.setObjectName("section")
        self.heading.setCheckable(True)
        self.body = QWidget()
        self.layout_ = QVBoxLayout(self.body)
        self.layout_.setContentsMargins(0, 4, 0, 6)
        self.layout_.setSpacing(3)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self.heading)
        outer.addWidget(self.body)
        open_ = QSettings().value(self._key, "1") != "0"
        self.heading.setChecked(open_)
        self.body.setVisible(open_)
        self.heading.toggled.connect(self._fold)

    def add(self, widget: QWidget) -> QWidget:
        """Put a row into the section."""
        self.layout_.addWidget(widget)
        return widget

    def reset(self) -> None:
        """Open or not as it is kept."""
        self.turn_to(self._key.removeprefix("sections/"), True)

    def turn_to(self, key: str, open_: bool) -> None:
        """Remember under another key from now on, being open or not until the artist folds it."""
        self._key = f"sections/{key}"
        kept = QSettings().value(self._key, "1" if open_ else "0") != "0"
        self.heading.blockSignals(True)
        self.heading.setChecked(kept)
        self.heading.blockSignals(False)
        self.body.setVisible(kept)

    def _fold(self, open_: bool) -> None:
        self.body.setVisible(open_)
        QSettings().setValue(self._key, "1" if open_ else "0")


class Segments(QWidget):
    """A few choices side by side, one of them on."""

    chosen = Signal(str)

    def __init__(self, choices: dict[str, str]) -> None:
        super().__init__()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.group = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        for value, label in choices.items():
            button = QPushButton(label)
            button.setObjectName("segment")
            button.setCheckable(True)
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            button.clicked.connect(lambda _=False, v=value: self.chosen.emit(v))
            self.group.addButton(button)
            self.buttons[value] = button
            layout.addWidget(button)

    def value(self) -> str:
        """The choice that is on; "" when none is."""
        return next((value for value, made in self.buttons.items() if made.isChecked()), "")

    def set_value(self, value: str) -> None:
        """Show a choice."""
        if value in self.buttons:
            self.buttons[value].setChecked(True)


class Choice(QComboBox):
    """A drop-down of names."""

    chosen = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._items: list[tuple[str, Any]] = []
        self.setMinimumWidth(60)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.activated.connect(lambda i: self.chosen.emit(self.itemData(i)))

    def fill(self, items: list[tuple[str, Any]], current: Any) -> None:
        """Replace the items and show the current one."""
        if items == self._items and self.count() and self.itemData(self.currentIndex()) == current:
            return
        self.blockSignals(True)
        if items != self._items:
            self._items = list(items)
            self.clear()
            for label, data in items:
                self.addItem(label, data)
        for i in range(self.count()):
            if self.itemData(i) == current:
                self.setCurrentIndex(i)
        self.blockSignals(False)

    def paintEvent(self, event) -> None:  # noqa: N802
        """The usual box with a small caret, a long name without its middle."""
        option = QStyleOptionComboBox()
        self.initStyleOption(option)
        room = self.width() - 30 - (self.iconSize().width() + 4 if not self.itemIcon(self.currentIndex()).isNull() else 0)
        option.currentText = self.fontMetrics().elidedText(self.currentText(), MIDDLE, max(1, room))  # type: ignore[attr-defined]
        caret = theme.icon("caret-down", theme.current().quiet).pixmap(11, 11)
        painter = QStylePainter(self)
        try:
            painter.drawComplexControl(QStyle.ComplexControl.CC_ComboBox, option)
            painter.drawControl(QStyle.ControlElement.CE_ComboBoxLabel, option)
            painter.drawPixmap(self.width() - 17, (self.height() - 11) // 2, caret)
        finally:
            painter.end()

    def showPopup(self) -> None:  # noqa: N802
        """The list as wide as its names, within bounds."""
        metrics = self.fontMetrics()
        widest = max((metrics.horizontalAdvance(self.itemText(i)) for i in range(self.count())), default=0)
        self.view().setTextElideMode(MIDDLE)
        self.view().setMinimumWidth(min(460, max(self.width(), widest + 44)))
        super().showPopup()


def show_as_pictures(items: QListWidget, name: str, picture: QSize, cell: QSize) -> None:
    """Let a list stand as a shelf of pictures with a name below each, as many in a row as there is room for."""
    items.setObjectName("shelf")
    items.setViewMode(QListView.ViewMode.IconMode)
    items.setIconSize(picture)
    items.setGridSize(cell)
    items.setResizeMode(QListView.ResizeMode.Adjust)
    items.setMovement(QListView.Movement.Static)
    items.setAccessibleName(name)


def separator() -> QFrame:
    """A thin line."""
    line = QFrame()
    line.setObjectName("line")
    return line


def label(text: str, name: str = "quiet", wrap: bool = False) -> QLabel:
    """A text in one of the sheet's voices."""
    made = Sentence(text) if wrap else Line(text)
    made.setObjectName(name)
    return made


def button(text: str, run: Callable[[], Any], name: str = "", tip: str = "") -> QPushButton:
    """A button."""
    made = Button(text)
    made.setObjectName(name)
    made.setToolTip(tip)
    made.clicked.connect(lambda _=False: run())
    return made
