"""Long work in a thread of its own."""

import threading
import time
import traceback
from typing import Any, Callable

from PySide6.QtCore import QEventLoop, QObject, Signal

from aulmo.errors import AulmoError


class Task(QObject):
    """Work that says how far it is, can be cancelled, and hands its result to the window's thread."""

    progressed = Signal(str, float)
    finished = Signal(object)
    failed = Signal(str)
    _came = Signal(str, object)

    def __init__(self, title: str, work: Callable[["Task"], Any]) -> None:
        super().__init__()
        self.title, self._work, self.cancelled = title, work, False
        self.started = time.monotonic()
        self._dropped = False
        self._thread: threading.Thread | None = None
        self._came.connect(self._hand_over)

    def start(self) -> None:
        """Begin."""
        self._thread = threading.Thread(target=self._run, name=self.title, daemon=True)
        self._thread.start()

    def abandon(self, wait: float = 0.0) -> None:
        """Nobody wants the result any more; it is dropped whenever it comes. May wait some seconds for the end."""
        self.cancelled = self._dropped = True
        self.blockSignals(True)
        self.let_go()
        if wait and self._thread is not None:
            self._thread.join(wait)

    def let_go(self) -> None:
        """It has ended: whoever waited is no longer held by it."""
        for signal in (self.progressed, self.finished, self.failed):
            signal.disconnect()

    def _hand_over(self, how: str, what: Any) -> None:
        """In the window's thread: say what came, unless nobody wants it any more, whose widgets may have gone."""
        if not self._dropped:
            getattr(self, how).emit(*(what if how == "progressed" else (what,)))

    def tell(self, text: str, share: float) -> bool:
        """Called by the work; False when it should give up."""
        self._came.emit("progressed", (text, share))
        return not self.cancelled

    def _run(self) -> None:
        try:
            result = self._work(self)
        except AulmoError as error:
            self._came.emit("failed", str(error))
        except Exception as error:
            if self.cancelled:
                return
            traceback.print_exc()
            self._came.emit("failed", f"{self.title} did not work: {error}")
        else:
            self._came.emit("finished", result)


class _End(QObject):
    came = Signal()


def finish(work: Callable[[], Any]) -> Any:
    """What `work` gives, done in a thread of its own while the window goes on to draw; clicks and keys wait until it is done."""
    found: list[Any] = []
    wrong: list[BaseException] = []
    end, loop = _End(), QEventLoop()
    end.came.connect(loop.quit)

    def run() -> None:
        try:
            found.append(work())
        except BaseException as error:
            wrong.append(error)
        end.came.emit()

    thread = threading.Thread(target=run, name="finish", daemon=True)
    thread.start()
    loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    thread.join()
    if wrong:
        raise wrong[0]
    return found[0]
