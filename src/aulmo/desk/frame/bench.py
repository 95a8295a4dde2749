"""Frame's bench: the shots as thumbnails; make, duplicate, delete them and their cameras."""

from msgspec.structs import replace
from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import QListView, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import button, label
from aulmo.document import edits
from aulmo.document.properties import resolve
from aulmo.document.records import Camera, Document, Shot


class FrameBench(QWidget):
    """The contact sheet."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        head = BenchHead("Shots")
        self.words = label("")
        head.addWidget(self.words)
        head.addStretch(1)
        head.addWidget(button("New shot from this view", self.new_shot, "link"))
        head.addWidget(button("Duplicate", self.duplicate, "link"))
        head.addWidget(button("Delete", self.delete, "link"))
        self.sheet = QListWidget()
        self.sheet.setObjectName("shelf")
        self.sheet.setViewMode(QListView.ViewMode.IconMode)
        self.sheet.setIconSize(QSize(150, 100))
        self.sheet.setGridSize(QSize(166, 128))
        self.sheet.setResizeMode(QListView.ResizeMode.Adjust)
        self.sheet.setMovement(QListView.Movement.Static)
        self.sheet.setAccessibleName("Shots")
        self.sheet.itemClicked.connect(lambda item: session.set_shot(item.data(Qt.ItemDataRole.UserRole)))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(head)
        layout.addWidget(self.sheet)
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
        if old.shots is not new.shots or old.cameras is not new.cameras:
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
        count = len(self.session.document.shots)
        self.words.setText(f"{count} shot{'' if count == 1 else 's'}, {len(self.session.document.cameras)} cameras")

    def _draw(self) -> None:
        document, assets = self.session.document, self.session.assets

        def work(task):
            from aulmo.trace import draft, tracer
            from aulmo.trace.camera_rows import camera_row
            from aulmo.trace.options import options_row
            from aulmo.trace.scene import SceneBuilder

            builder, found, maps = SceneBuilder(assets), {}, None
            for shot in document.shots:
                resolved = resolve(document, {"shot": shot.id})
                scene = builder.build(resolved, tables=False)
                maps = maps if maps is not None else draft.blur_environment(scene.arrays.env)
                f = min(150 / shot.width, 100 / shot.height)
                w, h = max(8, round(shot.width * f)), max(8, round(shot.height * f))
                camera = resolved.cameras[shot.camera]
                options = options_row(scene, resolved, camera, resolved.render)
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

    def new_shot(self) -> None:
        """A new camera where the view is, and a shot through it."""
        session, document = self.session, self.session.document
        view, shot = session.view, session.shot
        camera = replace(view, id=edits.new_id(), name=edits.free_name("Camera", (c.name for c in document.cameras.values())), locked=False)
        name = edits.free_name("Shot", (s.name for s in document.shots))
        made = replace(shot, id=edits.new_id(), name=name, camera=camera.id) if shot else Shot(id=edits.new_id(), name=name, camera=camera.id)
        session.apply(f"New shot {name}", edits.put_shot(edits.put_camera(document, camera), made))
        session.set_shot(made.id)

    def duplicate(self) -> None:
        """The shot again, with a camera of its own."""
        shot = self.session.shot
        if shot is None:
            return
        document = self.session.document
        source: Camera = document.cameras[shot.camera]
        camera = replace(source, id=edits.new_id(), name=edits.free_name(source.name, (c.name for c in document.cameras.values())), locked=False)
        made = replace(shot, id=edits.new_id(), name=edits.free_name(shot.name, (s.name for s in document.shots)), camera=camera.id)
        self.session.apply(f"Duplicated {shot.name}", edits.put_shot(edits.put_camera(document, camera), made))
        self.session.set_shot(made.id)

    def delete(self) -> None:
        """Delete the shot, and its camera when no other shot needs it."""
        shot, document = self.session.shot, self.session.document
        if shot is None:
            return
        if len(document.shots) == 1:
            self.session.trouble.emit("A project keeps at least one shot.")
            return
        if document.cameras[shot.camera].locked:
            self.session.trouble.emit(f"{document.cameras[shot.camera].name} is locked; unlock it first.")
            return
        document = replace(document, shots=tuple(s for s in document.shots if s.id != shot.id))
        if not any(s.camera == shot.camera for s in document.shots):
            document = edits.delete_camera(document, shot.camera)
        self.session.apply(f"Deleted {shot.name}", document)
        self.session.set_shot(document.shots[0].id)
