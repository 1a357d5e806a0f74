"""What is typed, on its way: nothing that is right so far is called wrong; a decimal comma is a decimal point."""

from __future__ import annotations

import contextlib
import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bastler.core.demo import new_job
from bastler.core.fields import Field, read
from bastler.core.job.document import ContourRecord, Job, Setup, Step
from bastler.core.jobfiles.units import in_units
from bastler.core.planner import plan
from bastler.core.planning.contourline import typed_element
from bastler.core.planning.contours import read_contour_record
from bastler.core.problems import Unfinished, Unusable
from bastler.core.quantities import (
    Kind,
    counted,
    drawn,
    evaluate,
    metal,
    parse_cylinders,
    parse_numbers,
    parse_points,
    said,
)

GOOD = (
    "-24",
    "46/2",
    "3/8",
    "1in",
    "60/2-0.2",
    "sin(30)*12",
    "sqrt(2)+1",
    "min(1,2)",
    "(2+3)*4",
    "12.5mm",
    "−7",
    "12,5",
    "-0,25",
    "2 * (3 + acos(0.5))",
)
POINTS = ("100 60", "100, 60", "12,5 60; 30 60", "12, 12; 188, 12", "46/2 -3; 1in, 2in", "-5 -6; 7 8")


def prefixes(text: str) -> list[str]:
    return [text[:n] for n in range(1, len(text) + 1)]


@pytest.mark.parametrize("text", GOOD)
def test_no_beginning_of_an_expression_is_wrong(text: str) -> None:
    for part in prefixes(text):
        try:
            evaluate(part)
        except Unfinished:
            assert part != text
        except ZeroDivisionError:
            raise


numbers = st.integers(-999, 999) | st.floats(-99, 99).map(lambda x: round(x, 3))


@given(
    a=numbers,
    b=numbers,
    sign=st.sampled_from("+-*/"),
    way=st.sampled_from(("{a}{s}{b}", "({a}{s}{b})", "abs({a}){s}{b}", "{a} {s} ({b})")),
)
def test_no_beginning_of_any_of_these_is_wrong(a: float, b: float, sign: str, way: str) -> None:
    text = way.format(a=a, b=b, s=sign)
    if "/" in text and float(b) == 0:
        return
    for part in prefixes(text):
        try:
            evaluate(part)
        except Unfinished:
            assert part != text
        except Unusable as error:
            assert "divides by zero" in str(error) or "beyond" in str(error), part


@pytest.mark.parametrize("text", POINTS)
def test_no_beginning_of_a_list_of_points_is_wrong(text: str) -> None:
    for part in prefixes(text):
        try:
            parse_points(part)
        except Unfinished:
            assert part != text


@pytest.mark.parametrize(
    ("typed", "meant"),
    [
        ("12,5", 12.5),
        (",5", 0.5),
        ("-0,25", -0.25),
        ("12,5/2", 6.25),
        ("(1,5+2)*2", 7.0),
        ("max(1,5)", 5.0),
        ("1,5in", 38.1),
    ],
)
def test_a_decimal_comma_is_a_point(typed: str, meant: float) -> None:
    assert evaluate(typed) == pytest.approx(meant)


@pytest.mark.parametrize("text", ["1,000.5", "1.000,5", "1,2,3", "1.2.3"])
def test_what_can_be_read_in_several_ways_is_refused(text: str) -> None:
    with pytest.raises(Unusable) as caught:
        evaluate(text)
    assert not isinstance(caught.value, Unfinished)


@pytest.mark.parametrize(
    ("typed", "meant"),
    [
        ("100 60", [(100, 60)]), ("100, 60", [(100, 60)]), ("100,60", [(100, 60)]), ("12,5 60; 30 60", [(12.5, 60), (30, 60)]),
        ("12,5, 60", [(12.5, 60)]), ("46/2, 3 + 1", [(23, 4)]), ("46 / 2 30", [(23, 30)]), ("100 -60", [(100, -60)]), ("", []),
        ("20 at 90", [(0, 20)]), ("20 at 180°; 5 7", [(-20, 0), (5, 7)]), ("40/2 AT -45*2", [(0, -20)]), ("12,5 at 0; 1 2", [(12.5, 0), (1, 2)]),
    ],
)  # fmt: skip
def test_points_are_read_as_meant(typed: str, meant: list[tuple[float, float]]) -> None:
    assert list(parse_points(typed)) == [pytest.approx(p) for p in meant]


@pytest.mark.parametrize(
    "typed", ["10 20; 30 -4", "12,5 60; 3 4", "21 at 72; 25.4/2 at 10+5", "1in, 3; 2, 3/8", "(1in+3)*2, 2in/4; 5mm, 3"]
)
def test_points_stay_where_they_are_in_other_units(typed: str) -> None:
    step = Step(id="a", cycle="drill", values={"points": typed})
    job = in_units(Job(setups=(Setup(steps=(step,)),)), "inch", keep_size=True)
    there = parse_points(job.setups[0].steps[0].values["points"], "inch")
    assert [c for p in there for c in p] == pytest.approx([c for p in parse_points(typed) for c in p], abs=2e-4)


def test_a_point_by_radius_asks_for_its_angle() -> None:
    with pytest.raises(Unfinished, match="lacks its angle"):
        parse_points("1 2; 21 at")


@pytest.mark.parametrize("text", ["12,5 60; 30,5", "12,5,6", "1 2 3"])
def test_ambiguous_points_are_asked_about(text: str) -> None:
    with pytest.raises(Unusable, match="Write a blank between them"):
        parse_points(text)


def test_hole_numbers_with_blanks_or_commas() -> None:
    assert parse_numbers("2, 5") == parse_numbers("2 5") == parse_numbers("2,5") == (2, 5)


def test_an_unfinished_answer_is_asked_for_and_not_wrong() -> None:
    fields = (
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep?"),
        Field("leave", "Leave", "Cut", Kind.LENGTH, "How much?", "0.2"),
    )
    found = read(fields, {"depth": "2+", "leave": "-"}, None)
    assert found.missing == ("depth", "leave")
    assert found.problems == ()
    assert "isn't finished" in found.begun["depth"]
    assert not found.complete
    assert read(fields, {"depth": "2x"}, None).problems


@pytest.mark.parametrize(
    ("line", "plane", "kind", "facts", "smooth"),
    [
        ("x24 z-40", "ZX", "line", {"x": "24", "z": "-40"}, False), ("x24", "ZX", "line", {"x": "24", "dz": "0"}, False),
        ("y50 r8", "XY", "line", {"y": "50", "corner": "8", "dx": "0"}, False), ("a30 l20", "XY", "line", {"angle": "30", "length": "20"}, False),
        ("CW12 x40 y5", "XY", "arc", {"radius": "12", "x": "40", "y": "5"}, False), ("t ccw10 y40", "XY", "arc", {"radius": "10", "y": "40"}, True),
        ("cx5 cy6 ccw x1 y2", "XY", "arc", {"cx": "5", "cy": "6", "x": "1", "y": "2"}, False), ("dx46/2 c1", "XY", "line", {"dx": "46/2", "chamfer": "1", "dy": "0"}, False),
        ("t x5", "XY", "line", {"x": "5"}, True), ("x12,5 y3", "XY", "line", {"x": "12,5", "y": "3"}, False),
    ],
)  # fmt: skip
def test_a_line_of_words_is_an_element(line: str, plane: str, kind: str, facts: dict[str, str], smooth: bool) -> None:
    made = typed_element(line, plane)
    assert (made.type, made.facts, made.tangent) == (kind, facts, smooth)


@pytest.mark.parametrize(
    ("line", "plane"),
    [("", "XY"), ("q5", "XY"), ("x", "XY"), ("z5", "XY"), ("y5", "ZX"), ("cw5 l20", "XY"), ("t", "XY"), ("24", "XY")],
)
def test_other_words_are_refused_with_an_example(line: str, plane: str) -> None:
    with pytest.raises(Unusable):
        typed_element(line, plane)


def test_a_closed_contour_is_on_its_way_until_it_is_back() -> None:
    lines = ("x90 y10", "y50", "x10", "y10")
    for n in range(1, 5):
        record = ContourRecord(
            values={"start_x": "10", "start_y": "10"}, elements=tuple(typed_element(w, "XY") for w in lines[:n])
        )
        found = read_contour_record(record, "mm")
        assert not found.wrong, (n, found.lacks)
        assert (found.path is not None) == (n == 4)
    assert found.path is not None
    assert found.path.length == pytest.approx(240)


def test_numbers_are_said_in_the_units_of_the_job() -> None:
    assert said(2540, Kind.FEED, "inch") == "100 in/min"
    assert said(12.7, units="inch") == "0.5 in"
    assert metal(16387.064, "inch") == "1.00 in³"
    assert metal(1500.0) == "1.5 cm³"
    assert drawn(1 / 3 * 25.4, "inch") == "0.333"
    assert (counted(1, "line"), counted(2, "line"), counted(2, "has", "have")) == ("1 line", "2 lines", "2 have")


@pytest.mark.parametrize(
    "text", ["1" + " " * 19_000 + "2", "," * 20_000, "1" * 20_000, "1, " * 6_000, (" " * 9_000 + ",") * 2, "(" * 20_000]
)
def test_long_nonsense_is_refused_at_once(text: str) -> None:
    for read_it in (evaluate, parse_points, parse_numbers, parse_cylinders):
        began = time.process_time()
        with contextlib.suppress(Unusable):
            read_it(text)
        assert time.process_time() - began < 2.0


def test_what_is_begun_stays_told_when_answers_are_judged_further() -> None:
    setup = new_job().setups[0].changed(material="no such", values={"size_x": "2+", "size_y": "60", "size_z": "20"})
    answers = plan(new_job().with_setup(setup, 0), moves=False).setup_answers
    assert "isn't finished" in answers.begun["size_x"]
    assert {p.field for p in answers.problems} == {"material"}
