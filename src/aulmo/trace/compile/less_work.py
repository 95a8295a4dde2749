"""Work that Numba does for every function and that kernels do not need, left out or done once.

Kernels are hundreds of small functions over plain numbers. Numba makes wrappers for Python and C of each, looks anew for what `+` of two numbers is
at every plus sign, compiles a function once more for each constant it is called with, and looks for array expressions where there are none.
"""

import functools

from aulmo.trace.compile import kernel_cache  # noqa: F401  (must come before numba)

from numba.core import compiler, dispatcher, ir, types
from numba.core.compiler_machinery import PassManager
from numba.core.typed_passes import DumpParforDiagnostics, NopythonRewrites
from numba.core.types import functions

_found: dict = {}


def _is_plain(kind: types.Type) -> bool:
    return isinstance(kind, (types.Number, types.Boolean, types.IntegerLiteral, types.BooleanLiteral))


def _remembered(get_call_type):
    """What an operator or a function of mathematics gives for plain numbers is looked for once."""

    @functools.wraps(get_call_type)
    def look(self, context, args, kws):
        if kws or len(args) > 2 or not all(_is_plain(a) for a in args):
            return get_call_type(self, context, args, kws)
        place = (self.typing_key, args)
        known = _found.get(place)
        if known is None:
            found = get_call_type(self, context, args, kws)
            _found[place] = (found, self._impl_keys.get(found.args) if found is not None else None)
            return found
        found, key = known
        if found is not None:
            self._impl_keys[found.args] = key
        return found

    return look


def _for_any_number(get_call_template):
    """A function is compiled for numbers, not once more for each constant it is called with."""

    @functools.wraps(get_call_template)
    def template(self, args, kws):
        return get_call_template(self, tuple(_unliteral(a) for a in args), {name: _unliteral(a) for name, a in kws.items()})

    return template


def _unliteral(kind: types.Type) -> types.Type:
    return types.unliteral(kind) if isinstance(kind, (types.IntegerLiteral, types.BooleanLiteral)) else kind


def _without(define):
    """Numba's pipeline without the search for array expressions."""

    @functools.wraps(define)
    def pipeline(state, name="nopython"):
        manager = define(state, name)
        lean = PassManager(name)
        for one, about in manager.passes:
            if one not in (NopythonRewrites, DumpParforDiagnostics):
                lean.add_pass(one, about)
        lean.finalize()
        return lean

    return pipeline


def _names_in(value) -> list:
    """The variables in what an instruction of Numba's holds; as `ir.Inst._rec_list_vars`, sooner."""
    kind = type(value)
    if kind is ir.Var:
        return [value]
    if kind is ir.Loc or kind is str or kind is int or value is None:
        return []
    if isinstance(value, ir.Inst):
        return value.list_vars()
    if kind is list or kind is tuple:
        return [name for one in value for name in _names_in(one)]
    if kind is dict:
        return [name for one in value.values() for name in _names_in(one)]
    return []


def install() -> None:
    """Let Numba leave that out from now on, in this process."""
    functions.BaseFunction.get_call_type = _remembered(functions.BaseFunction.get_call_type)
    dispatcher.Dispatcher.get_call_template = _for_any_number(dispatcher.Dispatcher.get_call_template)
    ir.Inst._rec_list_vars = lambda self, value: _names_in(value)
    builder = compiler.DefaultPassBuilder
    builder.define_nopython_pipeline = staticmethod(_without(builder.define_nopython_pipeline))
