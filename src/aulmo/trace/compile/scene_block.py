"""A scene as kernels get it: its arrays' addresses and shapes, one after another in one block of memory, as `looked_at` would lay them down.

Python writes the block once for a scene; a kernel is given the block and looks at it where it lies (`scene_at`), so that handing over a scene
costs neither the call nor the compiler anything, however many arrays there are.
"""

from typing import get_args, get_type_hints

import numpy as np

from aulmo.trace.compile.arrays import SceneArrays
from aulmo.trace.compile.borrowed import Borrowed, LookedAt

from numba import from_dtype, types
from numba.core import cgutils
from numba.extending import intrinsic

_KINDS = {name: get_args(kind)[1:] for name, kind in get_type_hints(SceneArrays, include_extras=True).items()}
_NUMBA = tuple(Borrowed(from_dtype(np.dtype(kind[0])), kind[1]) if kind else types.uintp for kind in _KINDS.values())
SCENE = LookedAt(types.NamedTuple(_NUMBA, SceneArrays))
_PLACES = dict(zip(_KINDS, np.cumsum([0, *(1 + kind[1] if kind else 1 for kind in _KINDS.values())]).tolist()))
MATERIALS_AT = _PLACES["materials"]  # of the words of a block: where the materials' rows lie, and how many


class SceneBlock:
    """A block for a scene, and the arrays that it leads to, kept alive with it.

    Raises TypeError when an array is not of the kind that `SceneArrays` says.
    """

    def __init__(self, arrays: SceneArrays) -> None:
        self.arrays = arrays
        words: list[int] = []
        for (name, kind), array in zip(_KINDS.items(), arrays):
            if not kind:
                words.append(int(array))
                continue
            if array.dtype != kind[0] or array.ndim != kind[1] or not array.flags.c_contiguous:
                raise TypeError(f"{name} is an array of {array.dtype} of {array.ndim} dimensions, not of {np.dtype(kind[0])} of {kind[1]}")
            words += [array.ctypes.data, *array.shape]
        self.words = np.array(words, np.uint64)


@intrinsic
def scene_at(typingctx, words):
    """The scene whose block an array of words is."""
    if not isinstance(words, types.Array):
        return None

    def codegen(context, builder, signature_, arguments):
        array = context.make_array(signature_.args[0])(context, builder, value=arguments[0])
        return builder.bitcast(array.data, cgutils.voidptr_t)

    return SCENE(words), codegen
