"""Numbers as an artist types them: sums, units, fractions. "2*35 mm", "1/2 in", "1/60 s", "3 stops", "50 %"."""

import ast
import math
import operator
import re
from typing import Any

from aulmo.errors import BadValue

_LENGTH = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "um": 1e-3, "µm": 1e-3, "in": 25.4, '"': 25.4, "ft": 304.8, "km": 1e6}
UNITS: dict[str, dict[str, float]] = {
    "mm": _LENGTH,
    "cm": {k: v / 10 for k, v in _LENGTH.items()},
    "m": {k: v / 1000 for k, v in _LENGTH.items()},
    "in": {k: v / 25.4 for k, v in _LENGTH.items()},
    "°": {"°": 1.0, "deg": 1.0, "rad": 180 / math.pi, "turn": 360.0, "turns": 360.0},
    "s": {"s": 1.0, "sec": 1.0, "ms": 1e-3, "min": 60.0, "h": 3600.0},
    "%": {"%": 1.0},
    "stops": {"stops": 1.0, "stop": 1.0, "ev": 1.0},
    "K": {"k": 1.0},
    "nits": {"nits": 1.0, "nit": 1.0, "knits": 1000.0, "cd/m2": 1.0},
}
_OPERATORS: dict[type, Any] = {
    ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul, ast.Div: operator.truediv, ast.Pow: operator.pow,
    ast.USub: operator.neg, ast.UAdd: operator.pos,
}  # fmt: skip
_NAMES = {
    "pi": math.pi,
    "sqrt": math.sqrt,
    "sin": lambda d: math.sin(math.radians(d)),
    "cos": lambda d: math.cos(math.radians(d)),
    "tan": lambda d: math.tan(math.radians(d)),
}


def _value(node: ast.AST) -> float:
    if isinstance(node, ast.Expression):
        return _value(node.body)
    if isinstance(node, ast.Constant) and isinstance(node.value, (int, float)) and not isinstance(node.value, bool):
        return float(node.value)
    if isinstance(node, ast.BinOp) and type(node.op) in _OPERATORS:
        left, right = _value(node.left), _value(node.right)
        if isinstance(node.op, ast.Pow) and (abs(right) > 64 or abs(left) > 1e6):
            raise ValueError
        return float(_OPERATORS[type(node.op)](left, right))
    if isinstance(node, ast.UnaryOp) and type(node.op) in _OPERATORS:
        return float(_OPERATORS[type(node.op)](_value(node.operand)))
    if isinstance(node, ast.Name) and node.id == "pi":
        return math.pi
    if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in _NAMES and len(node.args) == 1 and not node.keywords:
        function = _NAMES[node.func.id]
        if callable(function):
            return float(function(_value(node.args[0])))
    raise ValueError


def parse(text: str, unit: str = "", low: float = -math.inf, high: float = math.inf) -> float:
    """The number a text stands for, in `unit`. A decimal comma is understood. Raises BadValue with one sentence."""
    shown = text.strip()
    if len(shown) > 200:
        raise BadValue("That is too long to be a number.")
    known = UNITS.get(unit, {})
    body = re.sub(r"(?<=\d),(?=\d)", ".", shown.replace("×", "*").replace("÷", "/").replace("−", "-").replace("^", "**"))
    body = re.sub(r"^f/", "", body)
    names = sorted(known, key=len, reverse=True)
    if names:
        pattern = r"((?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?|\))\s*(" + "|".join(re.escape(n) for n in names) + r")(?![a-z0-9])"
        body = re.sub(pattern, lambda m: f"{m[1]}*{known[m[2].lower()]!r}", body, flags=re.I)
    try:
        value = _value(ast.parse(body, mode="eval"))
    except ZeroDivisionError:
        raise BadValue(f"“{shown}” divides by zero.") from None
    except Exception:
        raise BadValue(f"“{shown}” is not a number{' in ' + unit if unit else ''}.") from None
    if not math.isfinite(value):
        raise BadValue(f"“{shown}” is not a usable number.")
    if not low <= value <= high:
        tail = f" {unit}" if unit else ""
        if high == math.inf:
            raise BadValue(f"It has to be at least {low:g}{tail}.")
        raise BadValue(f"It has to lie between {low:g} and {high:g}{tail}.")
    return value


def show(value: float, unit: str = "", decimals: int = 2) -> str:
    """A number with its unit, without needless zeros."""
    text = f"{value:.{decimals}f}"
    if "." in text:
        text = text.rstrip("0").rstrip(".")
    if text in ("-0", ""):
        text = "0"
    if not unit:
        return text
    return text + unit if unit == "°" else f"{text} {unit}"


def duration(seconds: float) -> str:
    """Seconds as an artist reads them."""
    if seconds < 1:
        return "under a second"
    if seconds < 90:
        return f"{seconds:.0f} s"
    if seconds < 5400:
        return f"{seconds / 60:.0f} min"
    return f"{seconds / 3600:.1f} h"


def grouped(count: int) -> str:
    """A whole number with its thousands apart: 24 246."""
    return f"{count:,}".replace(",", "\u2009")


def counted(count: int, what: str, many: str = "") -> str:
    """ "1 part", "2 parts", "12 000 triangles"."""
    return f"{grouped(count)} {what if count == 1 else many or what + 's'}"


def shortened(text: str, most: int) -> str:
    """A text of no more than so many letters: a longer one without its middle."""
    if len(text) <= most:
        return text
    head = (most - 1) // 2
    return f"{text[:head].rstrip()}…{text[len(text) - (most - 1 - head) :].lstrip()}"
