"""Kernels that Python calls."""

from typing import Any

from aulmo.trace.compile.jit import OPTIONS
from aulmo.trace.compile.unit import Unit, needed_by, put_in_place

from numba import njit  # noqa: E402
from numba.core.dispatcher import Dispatcher  # noqa: E402


class Entry:
    """A kernel that Python calls. The units it needs are put in place before its first call."""

    def __init__(self, dispatcher: Dispatcher) -> None:
        self.dispatcher = dispatcher
        self.py_func, self.__doc__, self.__name__ = dispatcher.py_func, dispatcher.__doc__, dispatcher.__name__
        self._ready = False

    def __call__(self, *arguments: Any) -> Any:
        if not self._ready:
            put_in_place(self.needs())
            self._ready = True
        return self.dispatcher(*arguments)

    def as_it_is(self, *arguments: Any) -> Any:
        """Run it with the units that are in place just now: the others leave everything as it is and return zeros."""
        return self.dispatcher(*arguments)

    @property
    def is_ready(self) -> bool:
        """Whether it was compiled, or brought from the disk, already."""
        return bool(self.dispatcher.signatures)

    def needs(self) -> set[Unit]:
        """The units that it needs."""
        return needed_by(self.py_func)


def entry(function: Any) -> Entry:
    """Compile for calling from Python, without holding the interpreter. The units that it needs are put in place before."""
    return Entry(njit(cache=True, nogil=True, **OPTIONS)(function))
