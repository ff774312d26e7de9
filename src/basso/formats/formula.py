"""Formulas of channel conversions, worked out without any evaluator of program text.

A conversion of a measurement file may be an algebraic formula of one variable. What is understood is arithmetic and
nothing else: numbers, the variable (``X`` or ``X1``), ``+ - * / ^``, parentheses, and the functions of the format's own
specification. Everything else is refused.

Grammar (``^`` and ``**`` bind most tightly and from the right, as in the specification)::

    sum     = product (("+" | "-") product)*
    product = signed (("*" | "/") signed)*
    signed  = ("+" | "-") signed | power
    power   = atom ("^" | "**") signed | atom
    atom    = number | name | function "(" sum ("," sum)? ")" | "(" sum ")"

Source: ASAM MDF 4.1, conversion type 3 (algebraic), by reference to the general expressions of ASAM MCD-2 MC.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from types import MappingProxyType

import numpy as np

from basso.units import FloatArray

LONGEST = 2_000
"""Characters of a formula."""
DEEPEST = 50
"""Parentheses, signs and powers inside one another."""

_TOKEN = re.compile(
    r"\s*(?:(\d+\.?\d*(?:[eE][+-]?\d+)?|\.\d+(?:[eE][+-]?\d+)?)|([A-Za-z_]\w*)|(\*\*|[-+*/^(),]))", re.ASCII
)
_VARIABLE = frozenset({"X", "X1", "x", "x1"})
_CONSTANTS = MappingProxyType({"pi": np.pi, "inf": np.inf, "nan": np.nan})
_FUNCTIONS: MappingProxyType[str, Callable[[FloatArray], FloatArray]] = MappingProxyType(
    {
        "abs": np.abs,
        "sqrt": np.sqrt,
        "exp": np.exp,
        "ln": np.log,
        "log": np.log,
        "log10": np.log10,
        "log2": np.log2,
        "sin": np.sin,
        "cos": np.cos,
        "tan": np.tan,
        "asin": np.arcsin,
        "acos": np.arccos,
        "atan": np.arctan,
        "arcsin": np.arcsin,
        "arccos": np.arccos,
        "arctan": np.arctan,
        "arcos": np.arccos,
        "sinh": np.sinh,
        "cosh": np.cosh,
        "tanh": np.tanh,
        "floor": np.floor,
        "ceil": np.ceil,
        "round": np.round,
        "sgn": np.sign,
        "sign": np.sign,
    }
)
_OF_TWO: MappingProxyType[str, Callable[[FloatArray, FloatArray], FloatArray]] = MappingProxyType(
    {"pow": np.power, "min": np.minimum, "max": np.maximum, "atan2": np.arctan2, "arctan2": np.arctan2}
)


class FormulaError(ValueError):
    """A formula that is no plain arithmetic; the text says where it stops being that."""


def evaluate(formula: str, values: FloatArray) -> FloatArray:
    """A formula of one variable, for every value.

    Args:
        formula: as the file has it.
        values: raw readings, any shape, taken as 64-bit floats.

    Returns:
        Same shape; NaN and infinity where the arithmetic gives them (a root of a negative number, a division by zero).

    Raises:
        FormulaError: it is no plain arithmetic, or longer or deeper than any real one.

    >>> evaluate("X * 0.5 + 2", np.array([1.0, 2.0])).tolist()
    [2.5, 3.0]
    """
    if len(formula) > LONGEST:
        raise FormulaError(f"has {len(formula)} characters")
    variable = np.asarray(values, dtype=np.float64)
    with np.errstate(all="ignore"):
        worked = _Reader(_tokens(formula), variable).whole()
        return np.array(np.broadcast_to(worked, variable.shape), dtype=np.float64)


def _tokens(formula: str) -> list[tuple[str, str]]:
    found: list[tuple[str, str]] = []
    text, at = formula.strip().strip("\x00").rstrip(), 0
    while at < len(text):
        match = _TOKEN.match(text, at)
        if match is None:
            raise FormulaError(f"holds '{text[at : at + 12]}'")
        number, name, sign = match.groups()
        found.append(("number", number) if number else ("name", name) if name else ("sign", sign))
        at = match.end()
    return [*found, ("end", "")]


class _Reader:
    """Reads tokens from left to right and works the formula out on the way."""

    def __init__(self, tokens: list[tuple[str, str]], variable: FloatArray) -> None:
        self._tokens, self._at, self._depth = tokens, 0, 0
        self._variable = variable

    def whole(self) -> FloatArray:
        """The value of the whole formula, shape (n,).

        Raises:
            FormulaError: something is left over, or it is written in a way that is not known.
        """
        worked = self._sum()
        if self._tokens[self._at][0] != "end":
            raise FormulaError(f"holds '{self._tokens[self._at][1]}' where it should end")
        return worked

    def _take(self, *signs: str) -> str:
        kind, text = self._tokens[self._at]
        if kind == "sign" and text in signs:
            self._at += 1
            return text
        return ""

    def _need(self, sign: str) -> None:
        if not self._take(sign):
            raise FormulaError(f"lacks a '{sign}'")

    def _sum(self) -> FloatArray:
        worked = self._product()
        while sign := self._take("+", "-"):
            other = self._product()
            worked = worked + other if sign == "+" else worked - other
        return worked

    def _product(self) -> FloatArray:
        worked = self._signed()
        while sign := self._take("*", "/"):
            other = self._signed()
            worked = worked * other if sign == "*" else worked / other
        return worked

    def _signed(self) -> FloatArray:
        self._depth += 1
        if self._depth > DEEPEST:
            raise FormulaError("is nested too deeply")
        sign = self._take("+", "-")
        worked = self._signed() if sign else self._power()
        self._depth -= 1
        return -worked if sign == "-" else worked

    def _power(self) -> FloatArray:
        worked = self._atom()
        if self._take("^", "**"):
            worked = np.power(worked, self._signed())
        return worked

    def _atom(self) -> FloatArray:
        kind, text = self._tokens[self._at]
        if self._take("("):
            worked = self._sum()
            self._need(")")
            return worked
        self._at += 1
        if kind == "number":
            return np.asarray(float(text))
        if kind == "name" and text in _VARIABLE:
            return self._variable
        if kind == "name" and text.lower() in _CONSTANTS:
            return np.asarray(_CONSTANTS[text.lower()])
        if kind == "name" and text.lower() in _FUNCTIONS:
            self._need("(")
            worked = _FUNCTIONS[text.lower()](self._sum())
            self._need(")")
            return worked
        if kind == "name" and text.lower() in _OF_TWO:
            self._need("(")
            first = self._sum()
            self._need(",")
            worked = _OF_TWO[text.lower()](first, self._sum())
            self._need(")")
            return worked
        raise FormulaError(f"holds '{text}'" if text else "stops in the middle")
