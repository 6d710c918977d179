"""What people type into a number field: decimal comma or point, simple sums, a unit. Grouped digits are refused."""

from __future__ import annotations

import ast
import re
from collections.abc import Callable

from lean_trellis.core.errors import ParameterError
from lean_trellis.core.formats.body import UNIT_MM

_GROUPED = re.compile(r"(?<![\d.,])(\d{1,3})((?:[,.' \u00a0\u202f]\d{3})+)(?![\d])")
"""Digits in groups of three, as 1,000 or 13,780.00 or 1 000; one point before three digits is a decimal sign."""
_UNIT = re.compile(r"(?<=[\d.)])\s*(mm|cm|in|m)\b")
_OPERATIONS: dict[type[ast.operator], Callable[[float, float], float]] = {
    ast.Add: lambda a, b: a + b,
    ast.Sub: lambda a, b: a - b,
    ast.Mult: lambda a, b: a * b,
    ast.Div: lambda a, b: a / b,
}


def parse_number(text: str, *, is_length: bool = False, unit: str = "mm") -> float:
    """The value of `12,5`, `12.5+0.4`, `(3+1)/2` or, for lengths, `0.5in`, in mm. Raises `ParameterError`.

    `unit` is that of a length without any unit in it; where one figure has a unit, those without are millimetres.
    """
    _refuse_grouped(text)
    cleaned = text.strip().replace(",", ".").replace("°", "").replace("−", "-")
    if is_length:
        if not _UNIT.search(cleaned):
            cleaned = f"({cleaned})*{UNIT_MM[unit]}"
        cleaned = _UNIT.sub(lambda match: f"*{UNIT_MM[match.group(1)]}", cleaned)
    try:
        value = _value(ast.parse(cleaned, mode="eval").body)
    except (SyntaxError, ValueError, ZeroDivisionError, OverflowError, RecursionError, MemoryError):
        raise ParameterError(text.strip() or "empty", "this is no number", "type one, for example 12.5+0.4") from None
    if abs(value) > 1e9:
        raise ParameterError(text.strip(), "this is far too large", "type a smaller number")
    return value


def _refuse_grouped(text: str) -> None:
    """Raise `ParameterError` where digits are grouped: 1,000 may mean one or a thousand."""
    for match in _GROUPED.finditer(text):
        first, rest = match.groups()
        if rest.startswith(".") and rest.count(".") == 1 and len(rest) == 4:
            continue
        whole = first + re.sub(r"\D", "", rest)
        raise ParameterError(
            text.strip(), "groups of digits can be read in two ways", f"type {int(whole)} or {int(first)}.0"
        )


def _value(node: ast.expr) -> float:
    match node:
        case ast.Constant(value=int() | float() as number) if not isinstance(number, bool):
            return float(number)
        case ast.UnaryOp(op=ast.USub(), operand=inner):
            return -_value(inner)
        case ast.UnaryOp(op=ast.UAdd(), operand=inner):
            return _value(inner)
        case ast.BinOp(left=left, op=operation, right=right) if type(operation) in _OPERATIONS:
            return _OPERATIONS[type(operation)](_value(left), _value(right))
    raise ValueError


def shown_number(value: float, decimals: int = 3) -> str:
    """At most so many decimals, none that say nothing."""
    text = f"{value:.{decimals}f}".rstrip("0").rstrip(".")
    return "0" if text in ("", "-0") else text


def value_words(value: object) -> str:
    """A setting's value as people read it: switches on or off, off too where there is none."""
    if isinstance(value, bool):
        return "on" if value else "off"
    return "off" if value is None else f"{value:g}" if isinstance(value, float) else str(value)
