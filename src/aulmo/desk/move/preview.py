"""The preview film: drafts of what is played, small and quick, written as a film while they are drawn and watched at once."""

import time
from pathlib import Path
from typing import Any

import platformdirs
from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QDialog, QFileDialog, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from aulmo.desk.move.film_desk import FilmDesk
from aulmo.desk.widgets.fields import button, label
from aulmo.document.quantity import show
from aulmo.document.writing import write_atomically
from aulmo.errors import AulmoError

FOLDER = Path(platformdirs.user_cache_dir("aulmo"))


class Watch(QDialog):
    """A film shown at its own pace, round and round; its frames are decoded as they are needed."""

    def __init__(self, parent: QWidget, path: Path, title: str) -> None:
        super().__init__(parent)
        import av

        self.path = path
        self.setWindowTitle(title)
        self.setWindowFlag(Qt.WindowType.Window)
        self.picture = QLabel()
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.words = label("")
        line = QHBoxLayout()
        line.setContentsMargins(10, 4, 10, 6)
        line.addWidget(self.words)
        line.addStretch(1)
        self.keep = button("Keep as…", self._keep, "link", "The preview as a file of your own")
        line.addWidget(button("Again", self.again, "link"))
        line.addWidget(self.keep)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.picture, 1)
        layout.addLayout(line)
        self._av = av
        self._held: Any = None
        self._frames: Any = None
        self.rate = 25.0
        self.shown = 0
        self._began = 0.0
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._next)
        self.again()

    def again(self) -> None:
        """From the beginning."""
        self._close()
        self._held = self._av.open(str(self.path))
        stream = self._held.streams.video[0]
        self.rate = float(stream.average_rate or 25)
        self._frames = self._held.decode(video=0)
        self.shown, self._began = 0, time.perf_counter()
        self._timer.start(max(1, round(500 / self.rate)))
        self._next()

    def _next(self) -> None:
        due = int((time.perf_counter() - self._began) * self.rate)
        if self.shown and due < self.shown:
            return
        frame = None
        for _ in range(max(1, min(8, due + 1 - self.shown))):
            frame = next(self._frames, None)
            if frame is None:
                break
            self.shown += 1
        if frame is None:
            self.again()
            return
        pixels = frame.to_ndarray(format="rgb24")
        h, w = pixels.shape[:2]
        image = QImage(pixels.tobytes(), w, h, w * 3, QImage.Format.Format_RGB888)
        self.picture.setPixmap(QPixmap.fromImage(image))
        self.words.setText(f"{show((self.shown - 1) / self.rate, 's', 2)} · {self.rate:g} a second")

    def _keep(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Keep the preview", str(Path.home() / "Preview.mp4"), "Film (*.mp4)")
        if path:
            self.keep_as(Path(path))

    def keep_as(self, path: Path) -> None:
        """A copy of the file."""
        try:
            write_atomically(path, lambda file: file.write(self.path.read_bytes()))
            self.words.setText(f"Kept as {path.name}")
        except AulmoError as error:
            self.words.setText(str(error))

    def _close(self) -> None:
        self._timer.stop()
        if self._held is not None:
            self._frames = None
            self._held.close()
            self._held = None

    def closeEvent(self, event) -> None:  # noqa: N802
        """Stop."""
        self._close()
        super().closeEvent(event)


class Preview:
    """Makes a preview and shows it."""

    def __init__(self, desk: FilmDesk, window: QWidget) -> None:
        self.desk, self.window = desk, window
        self.watch: Watch | None = None
        self._number = 0

    def start(self, traced: bool = False) -> None:
        """Draw what is played, then show it."""
        session = self.desk.session
        document, assets = session.document, session.assets
        shot = session.shot.id if session.shot is not None else None
        self._number += 1
        out = FOLDER / f"preview-{self._number % 4}.mp4"

        def work(task: Any) -> int:
            from aulmo.deliver.preview import write_preview

            FOLDER.mkdir(parents=True, exist_ok=True)
            return write_preview(document, assets, out, task, traced, shot)

        def done(count: int) -> None:
            if count:
                self.show(out, f"{document.name} · preview")

        session.start_task("Preview", work, done)

    def show(self, path: Path, title: str) -> None:
        """A window with the film in it."""
        if self.watch is not None:
            self.watch.close()
        self.watch = Watch(self.window, path, title)
        self.watch.show()
