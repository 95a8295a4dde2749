"""Frame's bench: the shots as thumbnails; make, duplicate, delete them and their cameras."""

from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QSlider, QVBoxLayout, QWidget

from aulmo.desk.frame.commands import FrameCommands
from aulmo.desk.picture.compare import Compare
from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Choice, button, label, show_as_pictures
from aulmo.document.quantity import counted
from aulmo.document.records import Document
from aulmo.trace.shot_drafts import drawn_all


class FrameBench(QWidget):
    """The contact sheet."""

    def __init__(self, session: Session, commands: FrameCommands, compare: Compare) -> None:
        super().__init__()
        self.session, self.compare = session, compare
        self.head = head = BenchHead("Shots")
        self.words = label("")
        head.addWidget(self.words)
        head.addStretch(1)
        self.beside = Choice()
        self.beside.setAccessibleName("Compare with")
        self.beside.setFixedWidth(124)
        self.beside.chosen.connect(self._compare)
        head.addWidget(self.beside)
        self.share = QSlider(Qt.Orientation.Horizontal)
        self.share.setAccessibleName("Where the other shot begins")
        self.share.setRange(0, 100)
        self.share.setValue(50)
        self.share.setFixedWidth(90)
        self.share.valueChanged.connect(self._split)
        head.addWidget(self.share)
        head.addWidget(button("Contact sheet…", commands.contact_sheet, "link", "All shots as PDF or PNG, with names and settings"))
        head.addWidget(button("New shot", commands.new_shot, "link", "From this view"))
        head.addWidget(button("Duplicate", commands.duplicate, "link"))
        head.addWidget(button("Delete", commands.delete, "link"))
        self.sheet = QListWidget()
        show_as_pictures(self.sheet, "Shots", QSize(150, 100), QSize(166, 128))
        self.sheet.itemClicked.connect(lambda item: session.set_shot(item.data(Qt.ItemDataRole.UserRole)))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(head)
        layout.addWidget(self.sheet)
        self._names: tuple = ()
        self._pictures: dict[str, QIcon] = {}
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(900)
        self._later.timeout.connect(self._draw)
        session.opened.connect(self._opened)
        session.changed.connect(self._changed)
        session.shot_changed.connect(self.fill)

    def _opened(self) -> None:
        self._pictures = {}
        self.fill()

    def _changed(self, old: Document, new: Document) -> None:
        names = [(s.id, s.name, s.width, s.height, s.camera) for s in new.shots], [c.name for c in new.cameras.values()]
        if names != self._names:
            self._names = names
            self.fill()
        if self.isVisible():
            self._later.start()

    def showEvent(self, event) -> None:  # noqa: N802
        """Seen: the thumbnails should be right."""
        self._later.start(50)

    def fill(self) -> None:
        """One item for each shot."""
        self.sheet.clear()
        for shot in self.session.document.shots:
            item = QListWidgetItem(self._pictures.get(shot.id, QIcon()), shot.name)
            item.setData(Qt.ItemDataRole.UserRole, shot.id)
            item.setToolTip(f"{self.session.document.cameras[shot.camera].name}, {shot.width} × {shot.height}")
            item.setSizeHint(QSize(164, 126))
            item.setTextAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom)
            self.sheet.addItem(item)
            item.setSelected(self.session.shot is not None and shot.id == self.session.shot.id)
        document = self.session.document
        others = [(f"Beside {s.name}", s.id) for s in document.shots if self.session.shot is None or s.id != self.session.shot.id]
        self.beside.fill([("Compare with…", ""), *others], self.compare.other if any(i == self.compare.other for _, i in others) else "")
        self.beside.setVisible(bool(others))
        self.share.setVisible(bool(self.beside.currentData()))
        self.words.setText(f"{counted(len(document.shots), 'shot')}, {counted(len(document.cameras), 'camera')}")

    def _compare(self, shot_id: str) -> None:
        self.compare.show(shot_id)
        self.share.setVisible(bool(shot_id))

    def _split(self, percent: int) -> None:
        self.compare.share = percent / 100
        self.compare.picture.update()

    def _draw(self) -> None:
        document, assets = self.session.document, self.session.assets

        def work(task):
            return drawn_all(document, assets, [s.id for s in document.shots], (150, 100))

        def done(found) -> None:
            for shot_id, pixels in found.items():
                h, w = pixels.shape[:2]
                image = QImage(pixels.copy().data, w, h, w * 4, QImage.Format.Format_RGB32).copy()
                self._pictures[shot_id] = theme.picture_icon(QPixmap.fromImage(image))
            self.fill()

        if document.shots:
            self.session.start_task("Drawing the contact sheet", work, done)
