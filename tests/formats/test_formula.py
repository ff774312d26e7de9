"""Formulas of conversions: arithmetic worked by hand, and everything else refused."""

from __future__ import annotations

import numpy as np
import pytest

from basso.formats.formula import DEEPEST, LONGEST, FormulaError, evaluate

X = np.array([0.0, 1.0, 2.0, -3.0])


@pytest.mark.parametrize(
    ("formula", "wanted"),
    [
        ("X", [0, 1, 2, -3]),
        ("2*X+1", [1, 3, 5, -5]),
        ("X1/2", [0, 0.5, 1, -1.5]),
        ("10-X-1", [9, 8, 7, 12]),
        ("8/4/2 + 0*X", [1, 1, 1, 1]),
        ("-X^2", [0, -1, -4, -9]),
        ("2^3^2 + 0*X", [512] * 4),
        ("2**X", [1, 2, 4, 0.125]),
        ("2^-X", [1, 0.5, 0.25, 8]),
        ("(X+1)*(X-1)", [-1, 0, 3, 8]),
        ("abs(X)", [0, 1, 2, 3]),
        ("sqrt(abs(X))", [0, 1, 2**0.5, 3**0.5]),
        ("pow(X, 2)", [0, 1, 4, 9]),
        ("max(X, 1)", [1, 1, 2, 1]),
        ("exp(0)*X", [0, 1, 2, -3]),
        ("log10(100)+X", [2, 3, 4, -1]),
        ("ln(exp(X))", [0, 1, 2, -3]),
        (" 1.5e1 * X ", [0, 15, 30, -45]),
        (".5*X", [0, 0.5, 1, -1.5]),
        ("sin(pi/2)*X", [0, 1, 2, -3]),
        ("-(-X)", [0, 1, 2, -3]),
        ("7", [7, 7, 7, 7]),
        ("X\x00", [0, 1, 2, -3]),
        ("SQRT(4)*x", [0, 2, 4, -6]),
    ],
)
def test_arithmetic(formula: str, wanted: list[float]) -> None:
    assert evaluate(formula, X).tolist() == pytest.approx(wanted)


def test_what_arithmetic_cannot_give_is_no_number_and_no_warning() -> None:
    with np.errstate(all="raise"):
        assert np.isnan(evaluate("sqrt(X)", X)[3]) and np.isinf(evaluate("1/X", X)[0])
        assert np.isinf(evaluate("9^9^9^9^9 + X", X)).all()  # at once, without counting


@pytest.mark.parametrize(
    "formula",
    [
        "__import__('os').system('true')",
        "X.__class__",
        "X[0]",
        "[x for x in X]",
        "{1}",
        "lambda: 0",
        "X if X else 1",
        "X and 1",
        "not X",
        "X == 1",
        "X < 1",
        "X % 2",
        "X // 2",
        "X @ X",
        "X | 1",
        "~X",
        "eval(X)",
        "open(X)",
        "exec(X)",
        "print(X)",
        "f'{X}'",
        "'a'",
        "X; X",
        "X\nX = 1",
        "import os",
        "Y",
        "X X",
        "2 X",
        "X +",
        "(X",
        "X)",
        "",
        "sin X",
        "sin(X",
        "sin(1, 2)",
        "pow(1)",
        "1..2",
        "1e",
        "0x10",
        "1_000",
        "X := 1",
        "*X",
        "\u0661",
        "\uff38",
        "globals()",
        "where(X, 1, 2)",
        "sum(X)",
        "np.exp(X)",
        "X.real",
        "True",
        "None",
        "\\x41",
    ],
)
def test_everything_else_is_refused(formula: str) -> None:
    with pytest.raises(FormulaError):
        evaluate(formula, X)


def test_bounds_either_side() -> None:
    deep = DEEPEST - 1
    assert evaluate("(" * deep + "X" + ")" * deep, X).tolist() == X.tolist()
    with pytest.raises(FormulaError, match="nested"):
        evaluate("(" * DEEPEST + "X" + ")" * DEEPEST, X)
    for nested in ("-" * 100_000 + "X", "2^" * 900 + "X"):
        with pytest.raises(FormulaError):
            evaluate(nested, X)
    long = "X" + "+0" * ((LONGEST - 1) // 2)
    assert evaluate(long, X).tolist() == X.tolist()
    with pytest.raises(FormulaError, match="characters"):
        evaluate(long + "+0", X)
