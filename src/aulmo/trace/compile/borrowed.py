"""Arrays and tuples of arrays that kernels only look at: what they are handed over as, and how they are read.

Numba hands an array over as ten numbers, counts its owners and lets an index count from the end; a scene of forty arrays costs every call
hundreds of numbers, and the compiler most of its time. A `borrowed` array is an address and a shape: no owner, no counting, no index below
zero, rows one behind another. A tuple of them is `looked_at` where it lies. Whoever lends keeps the real array alive meanwhile.
"""

import hashlib
import operator

from aulmo.trace.compile import kernel_cache  # noqa: F401  (must come before numba)

from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.core.datamodel import models
from numba.core.imputils import lower_builtin, lower_cast
from numba.core.typing.templates import AbstractTemplate, AttributeTemplate, infer_global, signature
from numba.extending import infer_getattr, intrinsic, lower_getattr, lower_getattr_generic, register_model
from numba.np.arrayobj import make_array


class Borrowed(types.Type):
    """An array without an owner."""

    def __init__(self, dtype: types.Type, ndim: int) -> None:
        self.dtype, self.ndim = dtype, ndim
        super().__init__(f"b{ndim}{dtype}")


@register_model(Borrowed)
class _BorrowedModel(models.StructModel):
    def __init__(self, manager, kind) -> None:
        super().__init__(manager, kind, [("data", types.CPointer(kind.dtype)), ("shape", types.UniTuple(types.intp, kind.ndim))])


def _proxy(context, builder, kind, value=None):
    return cgutils.create_struct_proxy(kind)(context, builder, value=value)


def _array_proxy(context, builder, kind, value):
    return make_array(kind)(context, builder, value=value)


def _made(context, builder, kind, data, shape):
    made = _proxy(context, builder, kind)
    made.data = data
    made.shape = cgutils.pack_array(builder, shape)
    return made._getvalue()


@intrinsic
def borrowed(typingctx, array):
    """The same C-contiguous array without an owner."""
    if isinstance(array, Borrowed):
        return array(array), lambda context, builder, signature_, arguments: arguments[0]
    if not isinstance(array, types.Array) or array.layout != "C":
        return None
    kind = Borrowed(array.dtype, array.ndim)

    def codegen(context, builder, signature_, arguments):
        source = _array_proxy(context, builder, array, arguments[0])
        return _made(context, builder, kind, source.data, cgutils.unpack_tuple(builder, source.shape, kind.ndim))

    return kind(array), codegen


@intrinsic
def address(typingctx, array):
    """Where an array's numbers lie, for handing to Embree or asking the memory for them."""

    def codegen(context, builder, signature_, arguments):
        kind = signature_.args[0]
        source = _proxy if isinstance(kind, Borrowed) else _array_proxy
        return builder.ptrtoint(source(context, builder, kind, arguments[0]).data, context.get_value_type(types.uintp))

    return types.uintp(array), codegen


@intrinsic
def on_stack(typingctx, like):
    """Room for eight numbers of the kind in `like` that lasts as long as the kernel that asks for it."""
    kind = Borrowed(like.dtype, 1)

    def codegen(context, builder, signature_, arguments):
        room = cgutils.alloca_once(builder, ir.ArrayType(context.get_data_type(kind.dtype), 8))
        data = builder.bitcast(room, context.get_value_type(types.CPointer(kind.dtype)))
        return _made(context, builder, kind, data, [context.get_constant(types.intp, 8)])

    return kind(like), codegen


# reading and writing


def _below(kind: Borrowed, index: types.Type) -> types.Type | None:
    """What an index leads to: a number, or an array of fewer dimensions."""
    used = len(index) if isinstance(index, types.BaseTuple) else 1
    members = list(index) if isinstance(index, types.BaseTuple) else [index]
    if not all(isinstance(member, types.Integer) for member in members) or used > kind.ndim:
        return None
    return kind.dtype if used == kind.ndim else Borrowed(kind.dtype, kind.ndim - used)


@infer_global(operator.getitem)
class _Read(AbstractTemplate):
    def generic(self, arguments, keywords):
        array, index = arguments
        if isinstance(array, Borrowed):
            if isinstance(index, types.SliceType) and not index.has_step:
                return signature(array, array, index)
            found = _below(array, index)
            return None if found is None else signature(found, array, index)


@infer_global(operator.setitem)
class _Write(AbstractTemplate):
    def generic(self, arguments, keywords):
        array, index, _value = arguments
        if isinstance(array, Borrowed) and _below(array, index) == array.dtype:
            return signature(types.none, array, index, array.dtype)


def _place(context, builder, kind, array, index_kind, index):
    """Pointer to where an index leads, and the sizes of what is left."""
    many = isinstance(index_kind, types.BaseTuple)
    indices = cgutils.unpack_tuple(builder, index) if many else [index]
    kinds = [types.unliteral(of) for of in (index_kind if many else [index_kind])]
    indices = [context.cast(builder, value, of, types.intp if of.signed else types.uintp) for value, of in zip(indices, kinds)]
    shape = cgutils.unpack_tuple(builder, array.shape, kind.ndim)
    at = indices[0]
    for k in range(1, kind.ndim):
        at = builder.mul(at, shape[k])
        if k < len(indices):
            at = builder.add(at, indices[k])
    return builder.gep(array.data, [at], inbounds=True), shape[len(indices) :]


@lower_builtin(operator.getitem, Borrowed, types.Integer)
@lower_builtin(operator.getitem, Borrowed, types.BaseTuple)
def _read(context, builder, sig, arguments):
    kind, index_kind = sig.args
    pointer, rest = _place(context, builder, kind, _proxy(context, builder, kind, arguments[0]), index_kind, arguments[1])
    if rest:
        return _made(context, builder, sig.return_type, pointer, rest)
    return context.data_model_manager[kind.dtype].load_from_data_pointer(builder, pointer)


@lower_builtin(operator.getitem, Borrowed, types.SliceType)
def _read_slice(context, builder, sig, arguments):
    kind, index_kind = sig.args
    array = _proxy(context, builder, kind, arguments[0])
    shape = cgutils.unpack_tuple(builder, array.shape, kind.ndim)
    piece = context.make_helper(builder, index_kind, arguments[1])
    zero = context.get_constant(types.intp, 0)

    def within(value):
        value = builder.select(builder.icmp_signed("<", value, zero), zero, value)
        return builder.select(builder.icmp_signed(">", value, shape[0]), shape[0], value)

    start, stop = within(piece.start), within(piece.stop)
    row = context.get_constant(types.intp, 1)
    for extent in shape[1:]:
        row = builder.mul(row, extent)
    data = builder.gep(array.data, [builder.mul(start, row)], inbounds=True)
    return _made(context, builder, kind, data, [builder.sub(stop, start), *shape[1:]])


@lower_builtin(operator.setitem, Borrowed, types.Integer, types.Any)
@lower_builtin(operator.setitem, Borrowed, types.BaseTuple, types.Any)
def _write(context, builder, sig, arguments):
    kind, index_kind, value_kind = sig.args
    pointer, _rest = _place(context, builder, kind, _proxy(context, builder, kind, arguments[0]), index_kind, arguments[1])
    value = context.cast(builder, arguments[2], value_kind, kind.dtype)
    builder.store(context.data_model_manager[kind.dtype].as_data(builder, value), pointer)
    return context.get_dummy_value()


@infer_global(len)
class _Length(AbstractTemplate):
    def generic(self, arguments, keywords):
        if len(arguments) == 1 and isinstance(arguments[0], Borrowed):
            return signature(types.intp, *arguments)


@lower_builtin(len, Borrowed)
def _length(context, builder, sig, arguments):
    return builder.extract_value(_proxy(context, builder, sig.args[0], arguments[0]).shape, 0)


@infer_getattr
class _Attributes(AttributeTemplate):
    key = Borrowed

    def resolve_shape(self, kind):
        return types.UniTuple(types.intp, kind.ndim)


@lower_getattr(Borrowed, "shape")
def _shape(context, builder, kind, value):
    return _proxy(context, builder, kind, value).shape


# tuples


class LookedAt(types.Type):
    """A named tuple that lies in memory and is only looked at."""

    def __init__(self, fields: types.NamedTuple) -> None:
        self.fields = fields
        digest = hashlib.sha256(str(fields).encode()).hexdigest()[:12]  # a short name: every symbol of a kernel carries it
        super().__init__(f"{fields.instance_class.__name__}_{digest}")


register_model(LookedAt)(models.OpaqueModel)


@intrinsic
def looked_at(typingctx, fields):
    """The same named tuple of borrowed arrays and numbers, kept on the stack of the kernel that asks for it and handed over by its address."""

    def codegen(context, builder, signature_, arguments):
        return builder.bitcast(cgutils.alloca_once_value(builder, arguments[0]), cgutils.voidptr_t)

    if isinstance(fields, types.NamedTuple):
        return LookedAt(fields)(fields), codegen


@infer_getattr
class _Fields(AttributeTemplate):
    key = LookedAt

    def generic_resolve(self, looked, name):
        if name in looked.fields.fields:
            return looked.fields.types[looked.fields.fields.index(name)]


@lower_getattr_generic(LookedAt)
def _field(context, builder, looked, value, name):
    index = looked.fields.fields.index(name)
    room = builder.bitcast(value, context.get_value_type(looked.fields).as_pointer())
    load = builder.load(cgutils.gep_inbounds(builder, room, 0, index))
    load.set_metadata("invariant.load", builder.module.add_metadata([]))
    return load


# what lends by itself, where a unit is given it


@lower_cast(types.Array, Borrowed)
def _lend(context, builder, kind, to, value):
    source = _array_proxy(context, builder, kind, value)
    return _made(context, builder, to, source.data, cgutils.unpack_tuple(builder, source.shape, to.ndim))


@lower_cast(types.NamedTuple, LookedAt)
def _lay_down(context, builder, kind, to, value):
    members = [
        context.cast(builder, member, of, wanted)
        for member, of, wanted in zip(cgutils.unpack_tuple(builder, value), kind.types, to.fields.types)
    ]  # fmt: skip
    laid = context.make_tuple(builder, to.fields, members)
    return builder.bitcast(cgutils.alloca_once_value(builder, laid), cgutils.voidptr_t)
