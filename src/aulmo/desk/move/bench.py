"""Move's bench: the film with its lanes, and what stands over them: the moment, the play buttons, recording, adding motions, a preview."""

from typing import Any, Callable

from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QLineEdit, QMenu, QToolButton, QWidget

from aulmo.desk.move.film_desk import FilmDesk
from aulmo.desk.move.lanes import Lanes
from aulmo.desk.move.player import LOOPS, Player
from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.widgets.fields import Choice, NumberField, button, label
from aulmo.document.property_table import MOTION_KINDS
from aulmo.motion.ready import KINDS_OF
from aulmo.motion.timecode import time_of


def icon_button(icon: str, tip: str, run: Callable[[], Any]) -> QToolButton:
    """A small flat button with an icon."""
    made = QToolButton()
    made.setIcon(theme.icon(icon))
    made.setIconSize(QSize(15, 15))
    made.setAutoRaise(True)
    made.setToolTip(tip)
    made.setAccessibleName(tip.split("  ")[0])
    made.clicked.connect(lambda _=False: run())
    return made


class TimeField(NumberField):
    """The present moment, typed as seconds, frames or timecode."""

    def __init__(self, session: Any) -> None:
        super().__init__("s", -1e5, 1e5, 2)
        self._session = session
        self.setToolTip("Seconds, frames as 48 f, or timecode as 2:00")

    def _read(self) -> float:
        document = self._session.document
        return time_of(self.text(), document.frames_per_second, document.film.start)


class FilmBench(QWidget):
    """The film."""

    def __init__(self, desk: FilmDesk, player: Player, preview: Callable[[], None]) -> None:
        super().__init__()
        self.desk, self.session, self.player = desk, desk.session, player
        self.head = BenchHead("Film")
        self.time = TimeField(self.session)
        self.time.setAccessibleName("Time")
        self.time.setFixedWidth(62)
        self.time.edited.connect(self.session.set_time)
        self.words = label("")
        self.previous = icon_button("skip-back", "Previous key  ,", lambda: desk.step_key(False))
        self.play = icon_button("play", "Play  Space", player.toggle)
        self.next = icon_button("skip-forward", "Next key  .", lambda: desk.step_key(True))
        self.loop = Choice()
        self.loop.setAccessibleName("How it plays")
        self.loop.setFixedWidth(92)
        self.loop.fill([(words, key) for key, words in LOOPS.items()], player.loop)
        self.loop.chosen.connect(self._loops)
        self.record = button("Record", self._record, "chip", "What you change at a moment becomes a key there")
        self.record.setCheckable(True)
        self.add = button("Add motion", self._add, "link", "For what is selected")
        self.preview = button("Preview", preview, "link", "A small film of drafts, to watch at once")
        self.head.addWidget(self.time)
        self.head.addWidget(self.words)
        self.head.addStretch(1)
        for made in (self.previous, self.play, self.next, self.loop, self.record, self.add, self.preview):
            self.head.addWidget(made)
        self.lanes = Lanes(desk)
        self.lanes.said.connect(self.session.hint)
        self.finder = QLineEdit(self.lanes)
        self.finder.setPlaceholderText("Find")
        self.finder.setAccessibleName("Find a lane")
        self.finder.setGeometry(8, 1, 92, 22)
        self.finder.textChanged.connect(self._found)
        self.only = QToolButton(self.lanes)
        self.only.setText("Selected")
        self.only.setObjectName("chip")
        self.only.setCheckable(True)
        self.only.setToolTip("Only what is selected")
        self.only.setGeometry(104, 2, 56, 20)
        self.only.toggled.connect(self._only)
        layout = under_head(self)
        layout.addWidget(self.lanes, 1)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(700)
        self._later.timeout.connect(self._draw)
        self._drawn: tuple = ()
        for signal in (desk.changed, self.session.time_changed, self.session.record_changed, player.changed):
            signal.connect(self.refresh)
        self.session.shot_changed.connect(self.refresh)
        player.told.connect(lambda words: words and self.session.hint.emit(words))
        self.refresh()

    def showEvent(self, event) -> None:  # noqa: N802
        """Seen: the reel wants its pictures."""
        self._later.start()

    def refresh(self) -> None:
        """The moment, and what is on."""
        session = self.session
        self.time.set_value(session.time)
        self.words.setText(self.player.words() if self.player.playing and self.player.rate else self.desk.words_at())
        self.record.setChecked(session.recording)
        wanted = "pause" if self.player.playing else "play"
        if self.play.property("icon_name") != wanted:
            self.play.setProperty("icon_name", wanted)
            self.play.setIcon(theme.icon(wanted))
        if self.finder.text() != self.desk.find:
            self.finder.setText(self.desk.find)
        if self.isVisible() and not self.player.playing and self._reel_key() != self._drawn:
            self._later.start()

    def _record(self) -> None:
        self.session.set_recording(not self.session.recording)

    def _loops(self, how: str) -> None:
        self.player.loop = how

    def _found(self, text: str) -> None:
        self.desk.find = text
        self.desk.changed.emit()

    def _only(self, on: bool) -> None:
        self.desk.only = on
        self.desk.changed.emit()

    def _add(self) -> None:
        self.offer_motions(self.add)

    def offer_motions(self, at: QWidget) -> None:
        """The menu of motions under a button; it goes away by itself."""
        menu = self.motion_menu()
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(at.mapToGlobal(at.rect().bottomLeft()))

    def motion_menu(self) -> QMenu:
        """The motions that what is selected can have."""
        menu = QMenu(self)
        things = self.desk.things()
        kinds = [k for k in MOTION_KINDS if things and all(k in KINDS_OF.get(t.split("/")[0], ()) for t in things)]
        for kind in kinds:
            menu.addAction(MOTION_KINDS[kind], lambda k=kind: self.desk.add_motion(k))
        if not kinds:
            menu.addAction("Select parts, a camera, a lamp or a softbox").setEnabled(False)
        return menu

    def _reel_key(self) -> tuple:
        document = self.session.document
        return tuple((c.shot, c.start) for c in document.film.reel), document.parts, document.cameras, document.materials, document.environment

    def _draw(self) -> None:
        """Small pictures of the shots in the reel."""
        session = self.session
        document, assets, shots = session.document, session.assets, list(dict.fromkeys(c.shot for c in session.document.film.reel))
        key = self._reel_key()
        if not shots or key == self._drawn:
            return
        self._drawn = key

        def work(task):
            from aulmo.trace.shot_drafts import drawn_all

            return drawn_all(document, assets, shots, (60, 44))

        def done(found) -> None:
            for shot_id, pixels in found.items():
                h, w = pixels.shape[:2]
                image = QImage(pixels.copy().data, w, h, w * 4, QImage.Format.Format_RGB32).copy()
                how = (Qt.AspectRatioMode.KeepAspectRatioByExpanding, Qt.TransformationMode.SmoothTransformation)
                self.lanes.thumbnails[shot_id] = QPixmap.fromImage(image).scaled(30, 22, *how)
            self.lanes.viewport().update()

        session.start_task("Drawing the reel", work, done)

