"""Light's bench, the sets: pictures for the dome's ground, and whole set-ups that the artist has saved."""

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QWidget

from aulmo.desk.light.dome_map import flat_map
from aulmo.desk.light.softbox_commands import SoftboxCommands
from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import button, show_as_pictures
from aulmo.document.records import Environment
from aulmo.light import environment_image


class SetsBench(QWidget):
    """A click puts a picture on the dome, below its softboxes."""

    def __init__(self, session: Session, commands: SoftboxCommands, open_environment) -> None:
        super().__init__()
        self.session = session
        self.head = BenchHead("Sets")
        self.head.addStretch(1)
        links = (("Open a picture…", open_environment), ("Open a set-up…", commands.load_set_up), ("Save the set-up…", commands.save_set_up))
        for text, run in links:
            self.head.addWidget(button(text, run, "link"))
        self._pictured = False
        self.sets = QListWidget()
        show_as_pictures(self.sets, "Light sets", QSize(132, 66), QSize(146, 94))
        for name in environment_image.SETS:
            item = QListWidgetItem(name)
            item.setSizeHint(QSize(144, 92))
            item.setTextAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom)
            self.sets.addItem(item)
        self.sets.itemClicked.connect(self._choose)
        line = QHBoxLayout()
        line.setContentsMargins(8, 0, 8, 8)
        line.addWidget(self.sets, 1)
        layout = under_head(self)
        layout.addLayout(line, 1)
        session.changed.connect(lambda old, new: old.environment is not new.environment and self.refresh())
        session.opened.connect(self.refresh)

    def refresh(self) -> None:
        """Which of them is on the dome."""
        environment = self.session.resolved.environment
        for k in range(self.sets.count()):
            chosen = environment.shipped and environment.kind == "picture" and self.sets.item(k).text() == environment.image
            self.sets.item(k).setSelected(chosen)

    def showEvent(self, event) -> None:  # noqa: N802
        """Picture the sets the first time they are seen."""
        self.refresh()
        if self._pictured:
            return
        self._pictured = True
        names = [self.sets.item(k).text() for k in range(self.sets.count())]

        def work(task) -> list[np.ndarray]:
            small = (np.ascontiguousarray(environment_image.shipped(name)[::4, ::4]) for name in names)
            return [np.ascontiguousarray(flat_map(image, Environment(), 132, 66)) for image in small]

        def done(maps: list[np.ndarray]) -> None:
            for k, flat in enumerate(maps):
                image = QImage(flat.data, 132, 66, 132 * 3, QImage.Format.Format_RGB888).copy()
                self.sets.item(k).setIcon(theme.picture_icon(QPixmap.fromImage(image)))

        self.session.start_task("Picturing the light sets", work, done)

    def _choose(self, item: QListWidgetItem) -> None:
        was = self.session.document.environment
        environment = replace(was, kind="picture", image=item.text(), shipped=True, exposure=0.0 if was.kind == "sky" else was.exposure)
        self.session.apply(f"Light set {item.text()}", replace(self.session.document, environment=environment))
