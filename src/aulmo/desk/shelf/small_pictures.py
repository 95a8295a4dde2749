"""Small pictures of things, read and made behind the scenes: what was asked for last comes first."""

import threading

from PySide6.QtCore import QObject, QSize, Qt, Signal
from PySide6.QtGui import QImage, QPixmap

from aulmo.shelf import thumbnails
from aulmo.shelf.things import Thing

MOST = 4000  # that are kept at hand
WAITING = 300  # that are still wanted: what was scrolled past long ago is asked for again when it is seen


class SmallPictures(QObject):
    """Pictures by the key of their thing. `came` names a thing whose picture is there. One thread reads what is kept, so that it never waits for the
    other, which makes what is not there yet."""

    came = Signal(str)
    _read = Signal(object, object)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._kept: dict[str, QPixmap | None] = {}
        self._wanted: dict[str, Thing] = {}  # to be read
        self._missing: dict[str, Thing] = {}  # to be made
        self._condition = threading.Condition()
        self._ended, self._begun = False, False
        self._read.connect(self._take)

    def of(self, thing: Thing) -> QPixmap | None:
        """The picture of a thing, None until it is there, or where there is none."""
        if thing.key in self._kept:
            return self._kept[thing.key]
        if not thing.trouble:
            with self._condition:
                self._ask(self._wanted, thing)
        return None

    def _ask(self, queue: dict[str, Thing], thing: Thing) -> None:
        queue.pop(thing.key, None)
        queue[thing.key] = thing
        while len(queue) > WAITING:
            del queue[next(iter(queue))]
        if not self._begun:
            self._begun = True
            for work in (self._reading, self._making):
                threading.Thread(target=work, name="Small pictures", daemon=True).start()
        self._condition.notify_all()

    def forget(self, keys: set[str]) -> None:
        """Things that have changed want other pictures."""
        for key in keys:
            self._kept.pop(key, None)

    def end(self) -> None:
        """The window goes."""
        with self._condition:
            self._ended = True
            self._wanted.clear()
            self._missing.clear()
            self._condition.notify_all()

    def _next(self, queue: dict[str, Thing]) -> Thing | None:
        """The thing that was asked for last; None when the window goes."""
        with self._condition:
            self._condition.wait_for(lambda: queue or self._ended)
            return None if self._ended else queue.popitem()[1]

    def _reading(self) -> None:
        while (thing := self._next(self._wanted)) is not None:
            path = thumbnails.kept_at(thing)
            image = _image(str(path)) if path is not None and path.exists() else None
            if image is not None:
                self._hand_over(thing, image)
            elif path is not None:
                with self._condition:
                    if not self._ended:
                        self._ask(self._missing, thing)

    def _making(self) -> None:
        while (thing := self._next(self._missing)) is not None:
            try:
                path = thumbnails.make(thing)
            except Exception:  # noqa: BLE001 (a picture that cannot be made must not end the others)
                path = None
            self._hand_over(thing, _image(str(path)) if path is not None else None)

    def _hand_over(self, thing: Thing, image: QImage | None) -> None:
        if not self._ended:
            try:
                self._read.emit(thing, image)
            except RuntimeError:  # the window went meanwhile
                self._ended = True

    def _take(self, thing: Thing, image: QImage | None) -> None:
        while len(self._kept) >= MOST:
            del self._kept[next(iter(self._kept))]
        self._kept[thing.key] = QPixmap.fromImage(image) if image is not None else None
        self.came.emit(thing.key)


def _image(path: str) -> QImage | None:
    image = QImage(path)
    if image.isNull():
        return None
    wanted = QSize(thumbnails.WIDTH, thumbnails.HEIGHT)
    if image.size() != wanted:
        image = image.scaled(wanted, Qt.AspectRatioMode.KeepAspectRatioByExpanding, Qt.TransformationMode.SmoothTransformation)
        x, y = (image.width() - wanted.width()) // 2, (image.height() - wanted.height()) // 2
        image = image.copy(x, y, wanted.width(), wanted.height())
    return image
