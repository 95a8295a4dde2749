"""The one way kernels are compiled here. How they are given arrays: `borrowed`."""

from aulmo.trace.compile import kernel_cache  # noqa: F401  (must come before numba)

from llvmlite import ir  # noqa: E402
from numba import njit, types  # noqa: E402
from numba.core import cgutils  # noqa: E402
from numba.extending import intrinsic  # noqa: E402

from aulmo.trace.compile import compile_once  # noqa: E402

compile_once.install()

# No NaN or infinity flags: fast-math that still respects them, and C division.
OPTIONS = {"error_model": "numpy", "fastmath": {"nsz", "arcp", "contract", "afn", "reassoc"}}


def kernel(function):
    """Compile for calling from other kernels."""
    return njit(cache=True, **OPTIONS)(function)


def inlined(function):
    """Compile into its callers: for steps whose many numbers would be slow to hand over and back."""
    return njit(cache=True, forceinline=True, **OPTIONS)(function)


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


def _reader(kind, number):
    @intrinsic
    def read(typingctx, address):
        """The number that lies at an address."""

        def codegen(context, builder, signature, arguments):
            return builder.load(builder.inttoptr(arguments[0], number.as_pointer()))

        return kind(address), codegen

    return read


byte_at, short_at, float_at = _reader(types.uint8, ir.IntType(8)), _reader(types.uint16, ir.IntType(16)), _reader(types.float32, ir.FloatType())
double_at = _reader(types.float64, ir.DoubleType())
