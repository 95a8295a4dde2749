"""Units: kernels that are compiled apart, each with one fixed signature, kept by themselves and called by their address, as Embree is.

A unit is *declared* (`units.py`): its name, where it is made, what it is given and gives. Callers know the declaration alone, so that neither
they nor it are compiled anew when the other changes, and processes can compile them side by side. Where it is made, `@declaration.made` fills
it in. Its address waits in a cell of memory that callers read; while nobody has compiled it, the cell leads to code that leaves everything as
it is and returns zeros.
"""

import ctypes
import fcntl
import importlib
import os
from contextlib import contextmanager
from types import CodeType, FunctionType
from typing import Any, Callable, Iterable, Iterator

from aulmo.trace.compile import kernel_cache
from aulmo.trace.compile.jit import OPTIONS

import llvmlite.binding as llvm  # noqa: E402
from llvmlite import ir  # noqa: E402
from numba import njit, types  # noqa: E402
from numba.core import cgutils, registry  # noqa: E402
from numba.core.caching import FunctionCache  # noqa: E402
from numba.core.compiler import Compiler  # noqa: E402
from numba.core.compiler_lock import global_compiler_lock  # noqa: E402
from numba.core.dispatcher import Dispatcher, _FunctionCompiler  # noqa: E402
from numba.core.imputils import lower_builtin  # noqa: E402
from numba.core.typing import signature  # noqa: E402
from numba.core.typing.templates import AbstractTemplate, infer_global  # noqa: E402

_all: "list[Unit]" = []


def _nothing() -> tuple[Any, int]:
    """Code that does nothing and says that all went well; and its address."""
    engine = llvm.create_mcjit_compiler(llvm.parse_assembly("define i32 @nothing() {\n ret i32 0\n}\n"), _machine())
    engine.finalize_object()
    return engine, engine.get_function_address("nothing")


def _machine() -> Any:
    registry.cpu_target.target_context  # noqa: B018  (sets LLVM up)
    return llvm.Target.from_default_triple().create_target_machine(jit=True)


_engine, _NOTHING = _nothing()


class _UnitCompiler(_FunctionCompiler):
    def _customize_flags(self, flags: Any) -> Any:
        flags.no_cpython_wrapper = flags.no_cfunc_wrapper = True  # its arguments are nothing that Python or C knows
        flags.enable_pyobject = False
        return flags


class Unit:
    """A kernel compiled apart.

    Parameters
    ----------
    name : the function's name, `module` : where it is made, both as in the source. gives : Numba's type of what it returns. takes : the types of
    its arguments.
    """

    def __init__(self, name: str, module: str, gives: types.Type, *takes: types.Type) -> None:
        self.name, self.module, self.signature = name, f"aulmo.trace.{module}", signature(gives, *takes)
        _all.append(self)
        self.cell = ctypes.c_uint64(_NOTHING)
        self.symbol = f"aulmo_unit_{name}"
        llvm.add_symbol(self.symbol, ctypes.addressof(self.cell))
        self.function: FunctionType | None = None
        self._kept: Any = None
        self._from_python: Callable | None = None
        _let_kernels_call(self)

    def __repr__(self) -> str:
        return f"<unit {self.name}>"

    def __call__(self, *arguments: Any) -> Any:
        """Call it from Python, with arrays in place of what is lent; a scene as its `SceneArrays`."""
        if self._from_python is None:
            put_in_place({self, *self.needs()})
            names = ", ".join(f"a{k}" for k in range(len(self.signature.args)))
            self._from_python = njit(**OPTIONS)(eval(f"lambda {names}: unit({names})", {"unit": self}))  # noqa: S307 (names of our own)
        return self._from_python(*arguments)

    def made(self, function: FunctionType) -> "Unit":
        """Fill in what the unit does; a decorator."""
        assert function.__name__ == self.name and function.__module__ == self.module, f"{self.name} is declared elsewhere"
        assert function.__code__.co_argcount == len(self.signature.args), f"{self.name} is declared with another number of arguments"
        self.function = function
        self.__doc__ = function.__doc__
        return self

    @property
    def is_in_place(self) -> bool:
        """Whether kernels that call it reach it."""
        return self._kept is not None

    def _source(self) -> FunctionType:
        if self.function is None:
            importlib.import_module(self.module)
            assert self.function is not None, f"{self.module} does not make {self.name}"
        return self.function

    def needs(self) -> "set[Unit]":
        """The units that it calls, and those that they call in turn."""
        return needed_by(self._source())

    def is_kept(self) -> bool:
        """Whether its code lies on the disk (it is not brought into memory for the question)."""
        folder = kernel_cache.folder_of(self._source().__code__.co_filename)
        return any(folder.rglob(f"*{self.module.rsplit('.', 1)[1]}.{self.name}-*.nbi"))

    def put_in_place(self) -> None:
        """Compile it, or take what was compiled before, and let kernels reach it. What it calls is for `put_in_place` of those."""
        if self._kept is None:
            with claimed(self, wait=True):  # what another process is compiling just now is then found
                self._put()

    def put_if_free(self) -> None:
        """The same, unless another process is at it."""
        if self._kept is None:
            with claimed(self) as mine:
                if mine:
                    self._put()

    @global_compiler_lock
    def _put(self) -> None:
        if self._kept is not None:
            return
        function = self._source()
        cache = FunctionCache(function)
        result = cache.load_overload(self.signature, registry.cpu_target.target_context)
        if result is None:
            maker = _UnitCompiler(function, registry.cpu_target, dict(OPTIONS), {}, Compiler)
            result = maker.compile(self.signature.args, self.signature.return_type)
            cache.save_overload(self.signature, result)
        self.cell.value = result.library.get_pointer_to_function(result.fndesc.llvm_func_name)
        self._kept = result


@contextmanager
def claimed(unit: Unit, wait: bool = False) -> Iterator[bool]:
    """Whether this process alone may compile a unit, for as long as within; `wait` until it may. A process that dies lets go."""
    folder = kernel_cache.cache_folder() / "claims"
    held = None
    try:
        folder.mkdir(parents=True, exist_ok=True)
        held = os.open(folder / unit.name, os.O_RDWR | os.O_CREAT, 0o600)
        fcntl.flock(held, fcntl.LOCK_EX | (0 if wait else fcntl.LOCK_NB))
    except BlockingIOError:
        os.close(held)  # type: ignore[arg-type]
        yield False
        return
    except OSError:  # a folder that takes no files: everybody compiles for himself
        held = None
    try:
        yield True
    finally:
        if held is not None:
            os.close(held)


def _let_kernels_call(unit: Unit) -> None:
    """Teach Numba to type and lower a call of a unit."""

    class _Typing(AbstractTemplate):
        key = unit

        def generic(self, arguments: tuple, keywords: dict) -> Any:
            return unit.signature if len(arguments) == len(unit.signature.args) and not keywords else None

    infer_global(unit, types.Function(_Typing))

    @lower_builtin(unit, *unit.signature.args)
    def _call(context: Any, builder: Any, sig: Any, arguments: tuple) -> Any:
        module = builder.module
        cell = module.globals.get(unit.symbol) or ir.GlobalVariable(module, ir.IntType(64), unit.symbol)
        address = builder.load(cell)
        address.set_metadata("invariant.load", module.add_metadata([]))
        convention = context.call_conv
        function_type = convention.get_function_type(sig.return_type, sig.args)
        pointer = builder.inttoptr(address, function_type.as_pointer())
        # as `call_function` does it, without asking whether the callee failed: kernels do not
        gives = convention.get_return_type(sig.return_type).pointee
        room = cgutils.alloca_once(builder, gives)
        failed = cgutils.alloca_once(builder, function_type.args[1].pointee)
        packed = convention._get_arg_packer(sig.args).as_arguments(builder, list(arguments))
        builder.store(cgutils.get_null_value(gives), room)
        builder.call(pointer, [room, failed, *packed])
        return context.get_returned_value(builder, sig.return_type, builder.load(room))


def _called(code: CodeType) -> Iterator[str]:
    """The global names that a function's code asks for."""
    yield from code.co_names
    for constant in code.co_consts:
        if isinstance(constant, CodeType):
            yield from _called(constant)


def needed_by(function: Callable) -> set[Unit]:
    """The units that a function, or what it calls, calls in turn."""
    found: set[Unit] = set()
    seen: set[int] = set()
    waiting: list[Any] = [function]
    while waiting:
        one = waiting.pop()
        if isinstance(one, Unit):
            if one in found:
                continue
            found.add(one)
            one = one._source()
        plain = getattr(one, "py_func", one)
        if not isinstance(plain, FunctionType) or id(plain) in seen:
            continue
        seen.add(id(plain))
        for name in _called(plain.__code__):
            known = plain.__globals__.get(name)
            if isinstance(known, (Unit, Dispatcher)):
                waiting.append(known)
    return found


def put_in_place(units: Iterable[Unit]) -> None:
    """Bring units where kernels reach them, compiling what was not compiled before."""
    for unit in units:
        unit.put_in_place()


def all_units() -> list[Unit]:
    """Every unit that is declared."""
    importlib.import_module("aulmo.trace.compile.units")
    return list(_all)
