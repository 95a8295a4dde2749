"""Frame's bench: the shots as thumbnails; make, duplicate, delete them and their cameras."""

from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from aulmo.desk.frame.commands import FrameCommands
from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import button, label, show_as_pictures
from aulmo.document.properties import resolve
from aulmo.document.quantity import counted
from aulmo.document.records import Document


class FrameBench(QWidget):
    """The contact sheet."""

    def __init__(self, session: Session, commands: FrameCommands) -> None:
        super().__init__()
        self.session = session
        head = BenchHead("Shots")
        self.words = label("")
        head.addWidget(self.words)
        head.addStretch(1)
        head.addWidget(button("New shot from this view", commands.new_shot, "link"))
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
        self.words.setText(f"{counted(len(document.shots), 'shot')}, {counted(len(document.cameras), 'camera')}")

    def _draw(self) -> None:
        document, assets = self.session.document, self.session.assets

        def work(task):
            from aulmo.trace import draft, tracer
            from aulmo.trace.camera_rows import camera_row
            from aulmo.trace.compile.arrays import OPT_ENV_SCALE
            from aulmo.trace.options import options_row
            from aulmo.trace.scene import SceneBuilder

            builder, found = SceneBuilder(assets), {}
            for shot in document.shots:
                resolved = resolve(document, {"shot": shot.id})
                f = min(150 / shot.width, 100 / shot.height)
                w, h = max(8, round(shot.width * f)), max(8, round(shot.height * f))
                camera = resolved.cameras[shot.camera]
                scene = builder.build(resolved, tables=False, camera=camera)
                options = options_row(scene, resolved, camera, resolved.render)
                maps = draft.maps_of(scene.arrays, options[OPT_ENV_SCALE])
                large = tracer.draw_draft(scene, camera_row(camera, 3 * w, 3 * h), options, maps, 3 * w, 3 * h).picture
                found[shot.id] = large.reshape(h, 3, w, 3, 4).mean((1, 3)).astype("uint8")
            return found

        def done(found) -> None:
            for shot_id, pixels in found.items():
                h, w = pixels.shape[:2]
                image = QImage(pixels.copy().data, w, h, w * 4, QImage.Format.Format_RGB32).copy()
                self._pictures[shot_id] = theme.picture_icon(QPixmap.fromImage(image))
            self.fill()

        if document.shots:
            self.session.start_task("Drawing the contact sheet", work, done)
