"""Expressions: what a person may type, and what nobody may do with it."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bastler.core.problems import Unusable
from bastler.core.quantities import Kind, both_of, evaluate, parse_cylinders, parse_numbers, parse_points, show


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("46/2", 23.0),
        ("3/8", 0.375),
        ("1in", 25.4),
        ("sin(30)*12", 6.0),
        ("60/2-0.2", 29.8),
        ("(1+1)in", 50.8),
        ("5 mm", 5.0),
        ("-.5", -0.5),
        ("2*pi", math.tau),
        ("sqrt(2)", math.sqrt(2)),
        ("max(3, 4)", 4.0),
        ("1.5in", 38.1),
        ("3 × 4", 12.0),
        ("−5 ÷ 2", -2.5),
        ("1e2", 100.0),
    ],
)
def test_what_people_type(text: str, value: float) -> None:
    assert evaluate(text) == pytest.approx(value)


def test_a_bare_number_is_in_the_jobs_units() -> None:
    assert evaluate("2", Kind.LENGTH, "inch") == pytest.approx(50.8)
    assert evaluate("10mm", Kind.LENGTH, "inch") == pytest.approx(10.0)
    assert evaluate("10", Kind.FEED, "inch") == pytest.approx(254.0)
    assert evaluate("45", Kind.ANGLE, "inch") == 45.0


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("1/0", "divides by zero"),
        ("1; 2", "more than one value"),
        ("x=5", "more than one value"),
        ("1e99", "beyond"),
        ("nan", "can't be read"),
        ("inf", "can't be read"),
        ("__import__('os')", "can't be read"),
        ("().__class__", "can't be read"),
        ("9**9**9", "can't be read"),
        ("2**99999", "can't be read"),
        ("9e9*" * 39 + "9e300", "beyond|finite|far too large"),
        ("1e308*10", "no finite value"),
        ("1,000.5", "one decimal sign"),
        ("'a'", "can't be read"),
        ("1" * 300, "longer"),
        ("2 +", "isn't finished"),
        ("tru", "can't be read"),
        ("1 < 2", "can't be read"),
        *(
            (text, r"Write digits, \+ − \* / \( \), pi")
            for text in ("5^3", "5|3", "~5", "0x10", "1 if 1 else 2", "5//2", "1_0", "²", "٣", "sqrt2")
        ),
        ("[1]*10**8", "can't be read"),
    ],
)
def test_what_is_refused_says_so_in_one_sentence(text: str, says: str) -> None:
    with pytest.raises(Unusable, match=says) as caught:
        evaluate(text)
    assert "\n" not in str(caught.value)


@given(st.text(max_size=60))
def test_any_text_gives_a_number_or_a_sentence(text: str) -> None:
    try:
        assert math.isfinite(evaluate(text))
    except Unusable as error:
        assert str(error).endswith(".")


@given(st.floats(-9999, 9999))
def test_what_is_shown_is_read_back(value: float) -> None:
    assert evaluate(show(value)) == pytest.approx(value, abs=5.1e-4)


def test_lists() -> None:
    assert parse_points("12, 24/2; 188, 1in") == ((12.0, 12.0), (188.0, 25.4))
    assert parse_numbers("2, 5;7") == (2, 5, 7)
    assert parse_cylinders("40 x 30; 50×25") == ((40.0, 30.0), (50.0, 25.0))
    for broken, parser in (
        ("12", parse_points),
        ("1, 2, 3", parse_points),
        ("a", parse_numbers),
        ("²", parse_numbers),
        ("9" * 5000, parse_numbers),
        ("40", parse_cylinders),
        ("0 x 3", parse_cylinders),
    ):
        with pytest.raises(Unusable):
            parser(broken)


@given(
    a=st.floats(0, 900).map(lambda x: f"{x:.3f}"), b=st.floats(0, 90).map(lambda x: f"{x:.2f}"),
    operation=st.sampled_from(["+", "-", "*", "/", " + ", "/ "]), units=st.sampled_from(["mm", "inch"]),
)  # fmt: skip
def test_one_operation_is_worked_out_like_any_expression(a: str, b: str, operation: str, units: str) -> None:
    short, long = f"{a}{operation}{b}", f"({a}){operation}({b})"

    def of(text: str) -> float | str:
        try:
            return evaluate(text, Kind.LENGTH, units)  # type: ignore[arg-type]
        except Unusable as error:
            return str(error).replace(text, "it")

    one, other = of(short), of(long)
    assert type(one) is type(other)
    assert one == (pytest.approx(other) if isinstance(other, float) else other)


def test_a_place_by_radius_and_angle_becomes_two_expressions() -> None:
    assert both_of("21 at 72", "mm") == ("21*cos(72)", "21*sin(72)")
    assert both_of("-3/4 at 30+15°", "inch") == ("(-3/4)*cos(30+15)", "(-3/4)*sin(30+15)")
    for text in ("21", "21 at", "hub at 3", "21 at the rim", "at 4"):
        assert both_of(text, "mm") is None


def test_an_angle_may_have_its_sign() -> None:
    assert evaluate("30°", Kind.ANGLE) == evaluate(" 60/2 °", Kind.ANGLE) == 30.0
    with pytest.raises(Unusable):
        evaluate("30°", Kind.LENGTH)
