"""Prepare's bench, the face Settle: what is chosen falls and comes to rest; a moment of the fall is kept, or all of it as a motion."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSlider, QVBoxLayout, QWidget

from aulmo.desk.shell.bench import BenchBody, BenchHead, under_head
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import NumberField, SliderRow, button, label
from aulmo.document.quantity import counted, show
from aulmo.document.records import Document
from aulmo.prepare.settle.fall import Fall, Letting, as_motion, falling, kept, let_fall, placements
from aulmo.prepare.settle.physics import FRAMES

DEFAULTS = Letting()


class SettleBench(QWidget):
    """How it falls on the left; the fall on the right, once there is one: its moment is seen on the picture."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.fall: Fall | None = None
        self._base: Document | None = None  # what the fall began with
        self._falling = False
        self.head = BenchHead("Settle")
        self.words = label("")
        self.head.addWidget(self.words)
        self.head.addStretch(1)
        self.go = button("Let fall", self.let_fall, "main", "On all that is seen, and on the floor")
        self.head.addWidget(self.go)
        columns = QHBoxLayout()
        columns.setContentsMargins(14, 4, 14, 8)
        columns.setSpacing(26)
        columns.addLayout(self._how(), 2)
        columns.addLayout(self._what(), 3)
        under_head(self).addWidget(BenchBody(columns), 1)
        session.selection_changed.connect(self.refresh)
        session.changed.connect(self._changed)
        session.opened.connect(self._forget)
        self.refresh()

    def _how(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(4)
        self.bounce = SliderRow("Bounce", 0, 1, "", DEFAULTS.bounce, 2, 0, 1, tip="The share of its speed that a thing keeps when it hits another")
        self.friction = SliderRow("Friction", 0, 1.5, "", DEFAULTS.friction, 2, 0, 4, tip="Polished metal 0.2 · plastic 0.4 · rubber 1")
        self.tumble = SliderRow(
            "Tumble", 0, 360, "°/s", DEFAULTS.tumble, 0, 0, 3600, curve=2, tip="How fast things turn when they are let go, at random"
        )
        self.longest = SliderRow("Longest", 1, 20, "s", DEFAULTS.seconds, 1, 0.1, 60, tip="It ends when all rests, at the latest then")
        self.sliders = (self.bounce, self.friction, self.tumble, self.longest)
        for made, value in zip(self.sliders, (DEFAULTS.bounce, DEFAULTS.friction, DEFAULTS.tumble, DEFAULTS.seconds)):
            made.set_value(value)
            made.trouble.connect(self.session.trouble)
            column.addWidget(made)
        line = QHBoxLayout()
        line.setSpacing(6)
        line.setContentsMargins(15, 0, 0, 0)
        line.addWidget(label("Seed"))
        self.seed = NumberField("", 0, 999_999, 0)
        self.seed.setAccessibleName("Seed")
        self.seed.set_value(DEFAULTS.seed)
        self.seed.setFixedWidth(60)
        self.seed.trouble.connect(self.session.trouble)
        line.addWidget(self.seed)
        line.addWidget(button("Another", self.another, "small", "Let it fall once more, otherwise"))
        self.together = QPushButton("Groups as one")
        self.together.setObjectName("chip")
        self.together.setCheckable(True)
        self.together.setToolTip("A chosen group falls as one thing; else each part of it falls by itself")
        self.together.toggled.connect(lambda _: self.refresh())
        line.addSpacing(10)
        line.addWidget(self.together)
        line.addStretch(1)
        column.addLayout(line)
        column.addStretch(1)
        return column

    def _what(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.told = label("", wrap=True)
        column.addWidget(self.told)
        line = QHBoxLayout()
        line.setSpacing(8)
        self.moment = QSlider(Qt.Orientation.Horizontal)
        self.moment.setAccessibleName("Moment of the fall")
        self.moment.valueChanged.connect(self._look)
        self.now = label("")
        self.now.setFixedWidth(58)
        line.addWidget(self.moment, 1)
        line.addWidget(self.now)
        column.addLayout(line)
        line = QHBoxLayout()
        line.setSpacing(6)
        self.keep = button("Keep", self.keep_placement, "main", "The parts stay where they are at this moment")
        self.film = button("Keep as motion", self.keep_motion, "", "The fall up to this moment becomes keys, from the present moment of the film on")
        self.drop = button("Discard", self._forget, "link")
        for made in (self.keep, self.film, self.drop):
            line.addWidget(made)
        line.addStretch(1)
        column.addLayout(line)
        column.addStretch(1)
        return column

    # falling

    def another(self) -> None:
        """Fall once more, by the next seed."""
        self.seed.set_value(self.seed.value() + 1)
        if self.fall is not None:
            self.let_fall()

    def let_fall(self) -> None:
        """Work out how what is chosen falls; nothing of the project changes."""
        session = self.session
        if self._falling:
            return
        again = self.fall is not None and not session.selection
        base, assets = session.as_now, session.assets
        chosen = self.fall.parts if again and self.fall is not None else session.selection
        stored = session.document
        bounce, friction, tumble, seconds = (slider.field.value() for slider in self.sliders)
        how = Letting(round(self.seed.value()), bounce, friction, tumble, seconds, self.together.isChecked())
        self._falling = True

        def done(fall: Fall | None) -> None:
            self._falling = False
            if fall is None or session.document is not stored:
                return
            self.fall, self._base = fall, base
            self.moment.blockSignals(True)
            self.moment.setRange(0, len(fall.changes) - 1)
            self.moment.setValue(len(fall.changes) - 1)
            self.moment.blockSignals(False)
            self._look()
            self.refresh()

        def failed(_: str) -> None:
            self._falling = False

        session.start_task("Letting fall", lambda task: let_fall(base, assets, chosen, how, task.tell), done).failed.connect(failed)

    def _seconds(self) -> float:
        return self.moment.value() / FRAMES

    def _look(self) -> None:
        """See the moment on the picture."""
        if self.fall is None or self._base is None:
            self.session.try_on({})
            return
        placed = placements(self._base, self.fall, self._seconds())
        values = {f"parts/{i}/placement/{field}": getattr(p, field) for i, p in placed.items() for field in ("position", "turn")}
        self.session.try_on(values if self.isVisible() else {})
        self.now.setText(show(self._seconds(), "s", 2))

    def showEvent(self, event) -> None:  # noqa: N802
        """The fall is seen again."""
        super().showEvent(event)
        self._look()

    def hideEvent(self, event) -> None:  # noqa: N802
        """Elsewhere the project is seen as it is."""
        super().hideEvent(event)
        self.session.try_on({})

    # keeping

    def keep_placement(self) -> None:
        """The moment becomes the parts' placement."""
        fall, base = self.fall, self._base
        if fall is not None and base is not None:
            self.session.apply(f"Settled {counted(len(fall.parts), 'thing')}", kept(base, fall, self._seconds()))

    def keep_motion(self) -> None:
        """The fall becomes keys from the present moment on."""
        fall, session = self.fall, self.session
        if fall is not None:
            if self.moment.value() == 0:
                session.trouble.emit("At its beginning there is nothing to keep; pull the moment on.")
                return
            session.apply(f"{counted(len(fall.parts), 'thing')} falls" if len(fall.parts) == 1 else f"{len(fall.parts)} things fall",
                          as_motion(session.document, fall, session.time, self._seconds()))  # fmt: skip

    def _forget(self) -> None:
        self.fall = self._base = None
        self.session.try_on({})
        self.refresh()

    def _changed(self, old: Document, new: Document) -> None:
        if self.fall is not None and (old.parts is not new.parts or old.keys is not new.keys):
            self._forget()
        else:
            self.refresh()

    def refresh(self) -> None:
        """Say what would fall, and how it went."""
        there = self.fall is not None
        things = len(falling(self.session.document, self.session.selection, self.together.isChecked())) if self.session.selection else 0
        if things:
            self.words.setText(f"{counted(things, 'thing')} would fall")
        else:
            self.words.setText("" if there else "Choose what is to fall")
        self.go.setEnabled(bool(things) or there)
        self.go.setText("Let fall again" if there else "Let fall")
        for made in (self.moment, self.now, self.keep, self.film, self.drop):
            made.setVisible(there)
        if self.fall is not None:
            self.told.setText(self.fall.told())
        else:
            self.told.setText("Loose parts fall on all that is seen and on the floor. Nothing is kept until you say so.")
