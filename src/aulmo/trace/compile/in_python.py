"""Kernels run as plain Python."""

import functools
import types


@functools.cache
def in_python(function):
    """The same kernel, and the kernels that it calls, as plain Python: for few rows, sooner than bringing compiled code into memory."""
    plain = getattr(function, "py_func", function)
    called = {name: plain.__globals__[name] for name in plain.__code__.co_names if hasattr(plain.__globals__.get(name), "py_func")}
    return types.FunctionType(plain.__code__, plain.__globals__ | {name: in_python(kernel) for name, kernel in called.items()})
