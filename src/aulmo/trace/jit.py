"""The one way kernels are compiled here, and how they are given arrays without reference counting.

Numba counts references of array views with atomic instructions; two threads that look at the same material would fight over
the same counter. `borrowed` gives an array over the same memory without an owner, so nothing is counted.
"""

from aulmo.trace import kernel_cache  # noqa: F401  (must come before numba)

from llvmlite import ir  # noqa: E402
from numba import carray, njit, types  # noqa: E402
from numba.core import cgutils  # noqa: E402
from numba.extending import intrinsic  # noqa: E402

# No NaN or infinity flags: fast-math that still respects them, and C division.
_FAST = {"nsz", "arcp", "contract", "afn", "reassoc"}


def kernel(function):
    """Compile for calling from other kernels."""
    return njit(cache=True, error_model="numpy", fastmath=_FAST)(function)


def inlined(function):
    """Compile into its callers: for kernels that take the whole scene, whose hundred fields are slow to hand over."""
    return njit(cache=True, error_model="numpy", fastmath=_FAST, forceinline=True)(function)


def entry(function):
    """Compile for calling from Python, without holding the interpreter."""
    return njit(cache=True, nogil=True, error_model="numpy", fastmath=_FAST)(function)


@intrinsic
def _pointer(typingctx, address, like):
    target = types.CPointer(like.dtype)

    def codegen(context, builder, signature, arguments):
        return builder.inttoptr(arguments[0], cgutils.voidptr_t)

    def typed(context, builder, signature, arguments):
        return builder.bitcast(codegen(context, builder, signature, arguments), context.get_value_type(target))

    return target(address, like), typed


@njit(cache=True)
def borrowed(array):
    """The same contiguous array without an owner; the caller keeps the real one alive."""
    return carray(_pointer(array.ctypes.data, array), array.shape)


@intrinsic
def _room(typingctx, like):
    def codegen(context, builder, signature, arguments):
        room = cgutils.alloca_once(builder, ir.ArrayType(ir.DoubleType(), 8))
        return builder.ptrtoint(room, context.get_value_type(types.uintp))

    return types.uintp(like), codegen


@njit(cache=True, forceinline=True)
def on_stack(like):
    """Room for eight numbers that lasts as long as the kernel that asks for it; `like` is any float64 array."""
    return carray(_pointer(_room(like), like), (8,))


@intrinsic
def fetch_soon(typingctx, address):
    """Ask the processor to bring the memory at an address, without waiting for it."""

    def codegen(context, builder, signature, arguments):
        pointer = builder.inttoptr(arguments[0], cgutils.voidptr_t)
        flag = context.get_constant(types.int32, 0)
        near = context.get_constant(types.int32, 3)
        data = context.get_constant(types.int32, 1)
        number = ir.IntType(32)
        kind = ir.FunctionType(ir.VoidType(), [cgutils.voidptr_t, number, number, number])
        function = cgutils.get_or_insert_function(builder.module, kind, "llvm.prefetch.p0")
        builder.call(function, [pointer, flag, near, data])
        return context.get_dummy_value()

    return types.void(address), codegen
