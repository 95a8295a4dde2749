"""Finish's bench, the light balance: every light of the render as a row, its brightness in stops and its colour, changed after rendering."""

from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QSizePolicy, QSlider, QToolButton, QVBoxLayout, QWidget

from aulmo.desk.finish.finish_desk import FinishDesk
from aulmo.desk.finish.scopes import Scopes
from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchBody, BenchHead, under_head
from aulmo.desk.widgets.colour_field import ColourRow
from aulmo.desk.widgets.fields import KeyMark, NumberField, button, label
from aulmo.document.finish_records import Balance
from aulmo.document.properties import is_there
from aulmo.finish.composing import is_neutral
from aulmo.finish.sending import sent
from aulmo.motion.keys import near, remove_keys

RANGE = 6.0  # stops each way that the track shows


class LightRow:
    """One light: on or off, its name, its stops, its colour, and a ring that sets a key."""

    def __init__(self, desk: FinishDesk, name: str, grid: QGridLayout, line: int) -> None:
        self.desk, self.name = desk, name
        self.switch = QToolButton()
        self.switch.setAutoRaise(True)
        self.switch.setAccessibleName(f"{name} on")
        self.switch.setToolTip("On or off, in the picture alone")
        self.switch.clicked.connect(lambda _=False: desk.put_balance(name, on=not self.balance().on))
        self.title = QLabel(name)
        self.title.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.title.setMinimumWidth(84)
        self.title.setToolTip(name)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(-600, 600)
        self.slider.setAccessibleName(f"Brightness of {name}")
        self.slider.valueChanged.connect(self._slid)
        self.slider.sliderReleased.connect(desk.session.history.end_merge)
        self.field = NumberField("stops", -60, 60, 2)
        self.field.setAccessibleName(f"Stops of {name}")
        self.field.setFixedWidth(80)
        self.field.edited.connect(lambda v: desk.put_balance(name, stops=v))
        self.field.trouble.connect(desk.session.trouble)
        self.colour = ColourRow("", (1.0, 1.0, 1.0))
        self.colour.setToolTip(f"What the light of {name} is multiplied by")
        self.colour.changed.connect(lambda c, busy: desk.put_balance(name, busy, colour=tuple(float(v) for v in c)))
        self.colour.findChildren(QLabel)[0].hide()
        self.colour.setFixedWidth(140)
        self.mark = KeyMark()
        self.mark.setAccessibleName(f"Key of {name}")
        self.mark.clicked.connect(self._key)
        for column, widget in enumerate((self.switch, self.title, self.slider, self.field, self.colour, self.mark)):
            grid.addWidget(widget, line, column)

    def balance(self) -> Balance:
        """As it is seen at this time."""
        desk = self.desk
        place = f"finishes/{desk.finish.id}/balance/{self.name}"
        if desk.finish.id and is_there(desk.session.resolved, place):
            return desk.session.value(place)
        return desk.finish.balance.get(self.name, Balance())

    def _slid(self, position: int) -> None:
        self.desk.put_balance(self.name, self.slider.isSliderDown(), stops=position / 100)

    def _key(self) -> None:
        desk, session = self.desk, self.desk.session
        if self.name not in desk.finish.balance:
            desk.put_balance(self.name, stops=0.0)
        address = f"finishes/{desk.finish.id}/balance/{self.name}/stops"
        if near(session.document.keys.get(address, ()), session.time) is not None:
            session.apply(f"Removed a key of {self.name}", remove_keys(session.document, [(address, session.time)]))
        else:
            session.keep_keys({address: session.as_keyed(address)}, f"Key: {self.name}")

    def refresh(self) -> None:
        """As the finish is now."""
        held, session = self.balance(), self.desk.session
        self.switch.setIcon(theme.icon("lightbulb" if held.on else "lightbulb-filament", theme.current().text if held.on else theme.current().line))
        if not self.slider.isSliderDown():
            self.slider.blockSignals(True)
            self.slider.setValue(round(100 * held.stops))
            self.slider.blockSignals(False)
        self.field.set_value(held.stops)
        self.colour.set_value(held.colour)
        keys = session.document.keys.get(f"finishes/{self.desk.finish.id}/balance/{self.name}/stops", ())
        self.mark.set_state("here" if near(keys, session.time) is not None else "held" if keys else "")
        font = self.title.font()
        font.setBold(not is_neutral(held))
        self.title.setFont(font)


class BalanceBench(QWidget):
    """The lights."""

    def __init__(self, desk: FinishDesk) -> None:
        super().__init__()
        self.desk = desk
        self.head = BenchHead("Light balance")
        self.words = label("")
        self.head.addWidget(self.words)
        self.head.addStretch(1)
        self.back = button("As rendered", self._back, "link", "Every light as it was")
        tip = "The lights of the scene take what was changed here; the next render is as this picture"
        self.send = button("Send to the lights", self._send, "link", tip)
        self.head.addWidget(self.back)
        self.head.addWidget(self.send)
        inner = QVBoxLayout()
        inner.setContentsMargins(10, 2, 6, 4)
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(8)
        self.grid.setVerticalSpacing(2)
        self.grid.setColumnStretch(1, 2)
        self.grid.setColumnStretch(2, 3)
        self.none = label("", "quiet", True)
        inner.addWidget(self.none)
        inner.addLayout(self.grid)
        inner.addStretch(1)
        line = QHBoxLayout()
        line.setContentsMargins(0, 0, 4, 4)
        line.setSpacing(10)
        line.addWidget(BenchBody(inner), 3)
        self.scopes = Scopes(desk)
        self.scopes.setMaximumWidth(260)
        line.addWidget(self.scopes, 1)
        layout = under_head(self)
        layout.addLayout(line, 1)
        self.rows: list[LightRow] = []
        desk.changed.connect(self.refresh)
        desk.made.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """The lights as they are; rows that are still right are kept."""
        if not self.desk.on:
            return
        wanted = self.desk.lights()
        if wanted != [r.name for r in self.rows]:
            while self.grid.count():
                item: Any = self.grid.takeAt(0)
                item.widget().deleteLater()
            self.rows = [LightRow(self.desk, name, self.grid, k) for k, name in enumerate(wanted)]
        for row in self.rows:
            row.refresh()
        whole = self.desk.whole
        self.none.setText(
            "" if wanted else "This picture does not hold its lights by themselves; render it with the pass Light by group."
            if whole is not None else "The lights come with the traced picture."
        )  # fmt: skip
        self.none.setVisible(not wanted)
        changed = sum(not is_neutral(b) for b in self.desk.finish.balance.values())
        self.words.setText(f"{changed} of {len(wanted)} changed" if changed else "")
        self.back.setEnabled(bool(changed))
        self.send.setEnabled(bool(changed))

    def _back(self) -> None:
        self.desk.change("Lights as rendered", balance={})

    def _send(self) -> None:
        session = self.desk.session
        found = session.attempt(lambda: sent(session.document, self.desk.finish))
        if found is not None:
            document, words = found
            session.apply("Sent the balance to the lights", document)
            session.hint.emit(words)
