"""Which store holds a blob. A name says what is in it, so whichever store holds it has the very same: rules that make parts need no store handed to
them."""

import weakref
from typing import Any

from aulmo.document.meshes import MADE
from aulmo.errors import BadFile

_stores: "weakref.WeakSet[Any]" = weakref.WeakSet()
_made: list[Any] = []


def know(store: Any) -> None:
    """Remember a store for as long as it lives."""
    _stores.add(store)


def make_with(store: Any) -> None:
    """The store that is asked for what is made and stored nowhere."""
    _made[:] = [store]


def store_of(name: str) -> Any:
    """A store (`assets.AssetStore`) that can read a name. Raises BadFile when none can."""
    if name.startswith(MADE):
        return _made[0]
    found = next((store for store in list(_stores) if store.has(name)), None)
    if found is None:
        raise BadFile(f"The project is missing its stored file {name}; open an earlier copy.")
    return found
