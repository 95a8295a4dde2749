"""Showing: the full screen, the page that a colleague follows it by, and the list of what was remarked."""

from typing import Any

import numpy as np
from PySide6.QtCore import QObject, QPointF, Qt, QTimer
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QCheckBox, QDialog, QHBoxLayout, QHeaderView, QLineEdit, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from aulmo.deliver.show_server import ShowServer
from aulmo.desk.picture.overlay import Overlay
from aulmo.desk.shell.commands import Registry
from aulmo.desk.shell.session import Session
from aulmo.desk.shell.shown import ShownView, keep_remark, on_screen, pin, pins_in
from aulmo.desk.widgets.fields import button, label
from aulmo.document import remarks
from aulmo.document.quantity import counted

ID = Qt.ItemDataRole.UserRole


class RemarkPins(Overlay):
    """The pins over the window's own picture, while the list is open."""

    def __init__(self, showing: "Showing") -> None:
        self.showing = showing

    def shown(self) -> bool:
        """Only with the list, through the shot's own camera."""
        held = self.showing
        return held.list is not None and held.list.isVisible() and held.session.free_view is None and not held.session.playing

    def draw(self, painter: Any) -> None:
        """The pins."""
        session = self.showing.session
        for number, at, done in pins_in(session.document, session.resolved, session, self.showing.picture.frame_rect()):
            pin(painter, at, number, done)


class Showing(QObject):
    """What the window's commands call."""

    def __init__(self, window: QWidget, session: Session, picture: Any, registry: Registry) -> None:
        super().__init__(window)
        self.window, self.session, self.picture, self.registry = window, session, picture, registry
        self.view: ShownView | None = None
        self.list: RemarksList | None = None
        self.dialog: FollowDialog | None = None
        self.server: ShowServer | None = None
        picture.overlays.append(RemarkPins(self))
        picture.shown.connect(lambda state: state.picture.size and self.view is None and self._serve_soon())
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(300)
        self._soon.timeout.connect(self._serve)
        self._poll = QTimer(self)
        self._poll.setInterval(300)
        self._poll.timeout.connect(self._take_said)
        session.closed.connect(self.stop)

    def show_full(self) -> None:
        """Over the whole screen."""
        if self.view is not None or self.session.shot is None:
            return
        self.view = ShownView(self.session, self.picture, lambda: self.registry.run("play"))
        self.view.ended.connect(self._ended)
        self.view.seen.connect(self._serve_soon)
        on_screen(self.view)

    def _ended(self) -> None:
        self.view = None
        self.window.activateWindow()
        self.picture.setFocus()

    # the page

    def follow(self) -> None:
        """The little window from which the page is opened and closed."""
        if self.dialog is None:
            self.dialog = FollowDialog(self.window, self)
        self.dialog.refresh()
        self.dialog.show()
        self.dialog.raise_()

    def open_page(self, house: bool, word: str = "") -> None:
        """Serve what is shown: to this machine alone, or to the house."""
        self.stop()
        server = self.session.attempt(lambda: ShowServer(word, "0.0.0.0" if house else "127.0.0.1"))
        if server is not None:
            self.server = server
            self._poll.start()
            self._serve()

    def stop(self) -> None:
        """Close the page."""
        self._poll.stop()
        if self.server is not None:
            self.server.close()
            self.server = None

    def _serve_soon(self) -> None:
        if self.server is not None and not self._soon.isActive():
            self._soon.start()

    def _serve(self) -> None:
        if self.server is not None:
            shot = self.session.shot
            self.server.show(self._pixels(), f"{self.session.document.name} · {shot.name if shot is not None else ''}")

    def _pixels(self) -> np.ndarray | None:
        """What is shown: the full screen's picture, else the frame of the window's."""
        if self.view is not None:
            return self.view.pixels()
        pixels = self.picture.picture_pixels()
        if pixels is None or self.session.free_view is not None:
            return pixels
        framed: np.ndarray = self.picture.framed(pixels)
        return framed

    def _take_said(self) -> None:
        """Pin what came in by the page."""
        server = self.server
        while server is not None and not server.said.empty():
            said = server.said.get()
            if self.view is not None:
                self.view.remark(said.text, said.place, said.by)
            else:
                self._remark(said.text, said.place, said.by)
            self.session.hint.emit(f"{said.by or 'Somebody'} remarks: {said.text}")

    def _remark(self, text: str, place: tuple[float, float] | None, by: str) -> None:
        hit = None
        if place is not None:
            frame = self.picture.frame_rect()
            at = QPointF(frame.left() + place[0] * frame.width(), frame.top() + place[1] * frame.height()).toPoint()
            hit = self.picture.pick(at)
        keep_remark(self.session, text, hit, by)

    # the list

    def show_list(self) -> None:
        """What was remarked."""
        if self.list is None:
            self.list = RemarksList(self.window, self.session, self.picture)
        self.list.refresh()
        self.list.show()
        self.list.raise_()
        self.picture.update()


class FollowDialog(QDialog):
    """Opens the page and says where it is and by which word one enters."""

    def __init__(self, parent: QWidget, showing: Showing) -> None:
        super().__init__(parent)
        self.showing = showing
        self.setWindowTitle("Let a colleague follow")
        self.setMinimumWidth(420)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 12)
        column.setSpacing(8)
        column.addWidget(label("A page shows what is shown here, and takes remarks. Nothing of the project can be read or changed by it.", wrap=True))
        self.house = QCheckBox("On the house network, not on this machine alone")
        column.addWidget(self.house)
        self.address, self.word = QLineEdit(), QLineEdit()
        for made, name in ((self.address, "Address"), (self.word, "Word")):
            made.setReadOnly(True)
            made.setAccessibleName(name)
            line = QHBoxLayout()
            line.addWidget(label(name))
            line.addWidget(made, 1)
            column.addLayout(line)
        line = QHBoxLayout()
        self.go = button("Open the page", self._toggle, "main")
        self.copy = button("Copy both", self._copy, "link")
        line.addWidget(self.copy)
        line.addStretch(1)
        line.addWidget(self.go)
        column.addLayout(line)

    def _toggle(self) -> None:
        if self.showing.server is None:
            self.showing.open_page(self.house.isChecked())
        else:
            self.showing.stop()
        self.refresh()

    def _copy(self) -> None:
        QGuiApplication.clipboard().setText(f"{self.address.text()}  {self.word.text()}")

    def refresh(self) -> None:
        """As it is."""
        server = self.showing.server
        self.address.setText(server.address if server is not None else "")
        self.word.setText(server.word if server is not None else "")
        self.go.setText("Close the page" if server is not None else "Open the page")
        self.house.setEnabled(server is None)
        self.copy.setEnabled(server is not None)


class RemarksList(QDialog):
    """Every remark: a click goes to its shot, moment and part; a tick says that it has been taken care of."""

    def __init__(self, parent: QWidget, session: Session, picture: Any) -> None:
        super().__init__(parent)
        self.session, self.picture = session, picture
        self.setWindowTitle("Remarks")
        self.resize(560, 200)
        self.words = label("")
        self.tree = QTreeWidget()
        self.tree.setHeaderLabels(["", "Remark", "Of", "Shot", "By"])
        self.tree.setRootIsDecorated(False)
        self.tree.setAccessibleName("Remarks")
        self.tree.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        for number, width in ((0, 46), (2, 110), (3, 80), (4, 70)):
            self.tree.setColumnWidth(number, width)
        self.tree.header().setStretchLastSection(False)
        self.tree.header().setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self.tree.itemChanged.connect(self._ticked)
        self.tree.itemClicked.connect(lambda item, _: self.go_to(item.data(0, ID)))
        column = QVBoxLayout(self)
        column.addWidget(self.words)
        column.addWidget(self.tree, 1)
        line = QHBoxLayout()
        line.addWidget(button("Delete", self._delete, "link"))
        line.addStretch(1)
        column.addLayout(line)
        session.changed.connect(lambda old, new: old.remarks is not new.remarks and self.refresh())
        session.opened.connect(self.refresh)

    def refresh(self) -> None:
        """The remarks as they are."""
        document = self.session.document
        self.tree.blockSignals(True)
        self.tree.clear()
        shots = {s.id: s.name for s in document.shots}
        for number, one in remarks.numbered(document):
            of = document.parts[one.pinned].name if one.pinned in document.parts else "gone" if one.pinned else ""
            item = QTreeWidgetItem(self.tree, [str(number), one.text, of, shots.get(one.shot, ""), one.by])
            item.setData(0, ID, one.id)
            item.setToolTip(1, f"{one.text}\n{one.at}")
            item.setToolTip(2, of)
            item.setCheckState(0, Qt.CheckState.Checked if one.done else Qt.CheckState.Unchecked)
        self.tree.blockSignals(False)
        still = sum(not r.done for r in document.remarks.values())
        self.words.setText(f"{counted(len(document.remarks), 'remark')}, {still} open" if document.remarks else "Nothing has been remarked yet")
        self.picture.update()

    def _ticked(self, item: QTreeWidgetItem, column: int) -> None:
        done = item.checkState(0) == Qt.CheckState.Checked
        held = self.session.document.remarks.get(item.data(0, ID))
        if held is not None and held.done != done:
            self.session.apply("Taken care of" if done else "Open again", remarks.with_done(self.session.document, held.id, done))

    def go_to(self, remark_id: str) -> None:
        """To the shot, the moment and the part of a remark."""
        session = self.session
        one = session.document.remarks.get(remark_id)
        if one is None:
            return
        if one.shot and session.shot is not None and one.shot != session.shot.id and any(s.id == one.shot for s in session.document.shots):
            session.set_shot(one.shot)
        session.set_view(None)
        session.set_time(one.time)
        if one.pinned in session.document.parts:
            session.select([one.pinned])

    def _delete(self) -> None:
        item = self.tree.currentItem()
        if item is not None and item.data(0, ID) in self.session.document.remarks:
            self.session.apply("Deleted a remark", remarks.without(self.session.document, item.data(0, ID)))
