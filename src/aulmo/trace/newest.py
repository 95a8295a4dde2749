"""A thread that works on the newest of what it is asked: what was asked before and not begun is dropped."""

import threading
import traceback
from typing import Callable, Generic, TypeVar

from aulmo.errors import AulmoError

T = TypeVar("T")


class Newest(Generic[T]):
    """Runs `work` on what is asked, in a thread of its own. Whatever goes wrong is told to `trouble`, with what it went wrong for and one sentence
    (`no_memory`, or one that begins with `fails`), and the next is taken all the same. `begin` is called in the thread, once."""

    def __init__(
        self, name: str, work: Callable[[T], None], trouble: Callable[[T, str], None], no_memory: str, fails: str,
        begin: Callable[[], None] = lambda: None,
    ) -> None:  # fmt: skip
        self._work, self._trouble, self._no_memory, self._fails, self._begin = work, trouble, no_memory, fails, begin
        self.lock = threading.Condition()
        self._wanted: T | None = None
        self._closed = False
        self._thread = threading.Thread(target=self._loop, name=name, daemon=True)
        self._thread.start()

    def ask(self, wanted: T, yields: bool = False) -> None:
        """Work on this from now on; one that `yields` gives way to what is asked already."""
        with self.lock:
            if self._wanted is None or not yields:
                self._wanted = wanted
                self.lock.notify()

    @property
    def newer(self) -> bool:
        """Whether what is being worked on is out of date."""
        return self._wanted is not None or self._closed

    def rests(self, seconds: float) -> bool:
        """Wait so long; whether nothing newer came meanwhile."""
        with self.lock:
            return not self.lock.wait_for(lambda: self.newer, seconds)

    def close(self, seconds: float = 5.0) -> None:
        """End the thread, and wait so long for it."""
        with self.lock:
            self._closed = True
            self.lock.notify()
        if self._thread is not threading.current_thread():
            self._thread.join(seconds)

    def _loop(self) -> None:
        self._begin()
        while True:
            with self.lock:
                self.lock.wait_for(lambda: self.newer)
                if self._closed:
                    return
                wanted, self._wanted = self._wanted, None
            if wanted is None:
                continue
            try:
                self._work(wanted)
            except AulmoError as error:
                self._trouble(wanted, str(error))
            except MemoryError:
                self._trouble(wanted, self._no_memory)
            except Exception as error:
                traceback.print_exc()
                self._trouble(wanted, f"{self._fails} ({type(error).__name__}: {error}); undo brings the last one back.")
