"""A step of building a scene that keeps its last result, and is taken again only when something it reads has become another object."""

from typing import Any, Callable, Generic, TypeVar

T = TypeVar("T")
_PLAIN = (str, bytes, int, float, bool, type(None), tuple, frozenset)


def _same(one: Any, other: Any) -> bool:
    return one is other or (type(one) in _PLAIN and type(one) is type(other) and one == other)


class Remembered(Generic[T]):
    """The last result of a step. Records and arrays are told apart by identity, names and numbers by value."""

    def __init__(self) -> None:
        self._read: tuple | None = None
        self._made: T | None = None

    def get(self, read: tuple, make: Callable[[], T]) -> T:
        """What `make` gave when it last read these very things, or gives now."""
        if self._read is None or len(self._read) != len(read) or not all(_same(a, b) for a, b in zip(self._read, read)):
            self._made = make()
            self._read = read
        return self._made  # type: ignore[return-value]

    def forget(self) -> None:
        """Let the result go."""
        self._read = self._made = None
