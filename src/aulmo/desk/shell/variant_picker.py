"""The strip's word for the variant that everything applies to: what is picked along each axis, and which choice is in hand."""

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QFrame, QGridLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Choice, button, label
from aulmo.document import variants


class VariantPicker(QPushButton):
    """A button that tells the variant and opens the axes below it; amber with a pen while a choice is in hand."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setObjectName("variant")
        self.setAccessibleName("Variant")
        self.setFixedWidth(168)
        self.panel = _Axes(session, self)
        self.clicked.connect(self.open)
        session.changed.connect(lambda old, new: old.axes is new.axes or self.refresh())
        for signal in (session.opened, session.variant_changed, session.shot_changed):
            signal.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Say what is seen, or in hand."""
        session, document = self.session, self.session.document
        self.setVisible(bool(document.axes))
        words = variants.told(document, session.picks)
        held = bool(session.hand)
        if held:
            axis, choice = variants.find_choice(document, session.hand)
            words = f"In hand: {choice.name}"
            self.setToolTip(f"Every change lands in {axis.name}: {choice.name}, until it is put down")
        else:
            self.setToolTip("Which variant is seen")
        self.setText(self.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, self.width() - 40))
        caution = theme.current().caution
        self.setIcon(theme.icon("pencil-simple", caution) if held else theme.icon("stack", theme.current().quiet))
        self.setStyleSheet(f"QPushButton#variant {{ border: 1px solid {caution}; color: {caution}; text-align: left; }}" if held
                           else "QPushButton#variant { text-align: left; }")  # fmt: skip
        self.panel.fill()

    def open(self) -> None:
        """Show the axes below."""
        self.panel.fill()
        self.panel.adjustSize()
        self.panel.move(self.mapToGlobal(QPoint(0, self.height() + 2)))
        self.panel.show()


class _Axes(QFrame):
    """A row for each axis: what is picked, and whether it is in hand."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.session = session
        self.setObjectName("panel")
        self.setFrameShape(QFrame.Shape.StyledPanel)
        self.rows: dict[str, tuple[Choice, QPushButton]] = {}
        self._grid = QGridLayout()
        self._grid.setSpacing(6)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 10, 8)
        layout.addLayout(self._grid)
        self.keep = button("The shot keeps this variant", self._keep, "link", "This shot, its film and its contact sheet show it from now on")
        layout.addWidget(self.keep)

    def fill(self) -> None:
        """The axes as they are."""
        session, document = self.session, self.session.document
        if list(self.rows) != [a.id for a in document.axes]:
            while self._grid.count():
                item = self._grid.takeAt(0)
                widget = item.widget() if item is not None else None
                if widget is not None:
                    widget.deleteLater()
            self.rows = {}
            for k, axis in enumerate(document.axes):
                pick, hand = Choice(), button("Take in hand", lambda a=axis.id: self._take(a), "", "Every change lands in this choice")
                pick.setFixedWidth(150)
                pick.chosen.connect(lambda choice, a=axis.id: session.pick(a, choice))
                hand.setCheckable(True)
                self._grid.addWidget(label(axis.name), k, 0)
                self._grid.addWidget(pick, k, 1)
                self._grid.addWidget(hand, k, 2)
                self.rows[axis.id] = (pick, hand)
        for k, axis in enumerate(document.axes):
            pick, hand = self.rows[axis.id]
            name = self._grid.itemAtPosition(k, 0)
            title = name.widget() if name is not None else None
            if isinstance(title, QLabel):
                title.setText(axis.name)
            pick.setAccessibleName(axis.name)
            hand.setAccessibleName(f"{axis.name} in hand")
            picked = session.picks.get(axis.id, "")
            pick.fill([("Base", ""), *((c.name, c.id) for c in axis.choices)], picked)
            held = bool(picked) and session.hand == picked
            hand.setChecked(held)
            hand.setEnabled(bool(picked))
            hand.setText("Put down" if held else "Take in hand")
        shot = session.shot
        self.keep.setEnabled(shot is not None and shot.picks != session.picks)

    def _take(self, axis_id: str) -> None:
        picked = self.session.picks.get(axis_id, "")
        self.session.take_in_hand("" if picked == self.session.hand else picked)
        self.fill()

    def _keep(self) -> None:
        self.session.keep_variant()
        self.fill()
