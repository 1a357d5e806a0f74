"""Contours as records of a job: units, choices that stay, what is wrong told at the fact, steps that name them."""

from __future__ import annotations

import math

import pytest

from bastler.core.job.document import ContourRecord, ElementRecord, Step
from bastler.core.jobfiles.units import in_units
from bastler.core.planner import plan
from bastler.core.planning.contours import NamedContour, chosen_text, contours_of, joints, read_contour_record
from tests.contours import CONTOURS, HALF, circle, rectangle
from tests.jobs import changed, plate


def element(kind: str, way: str = "", *, smooth: bool = False, **facts: object) -> ElementRecord:
    return ElementRecord(type=kind, dir=way, tangent=smooth, facts={k: str(v) for k, v in facts.items()})  # type: ignore[arg-type]


LINK = ContourRecord(
    id="~link", name="link", values={"start_x": "-20", "start_y": "0", "closed": "no"},
    elements=(element("line", angle=0), element("arc", "ccw", smooth=True, radius=8),
              element("arc", "cw", smooth=True, cx=40, cy=25, radius=12, x=40, y=37)),
)  # fmt: skip


def read(record: ContourRecord, units: str = "mm") -> NamedContour:
    return read_contour_record(record, units)  # type: ignore[arg-type]


def test_several_answers_ask_for_a_choice_which_stays() -> None:
    asked = read(LINK)
    assert asked.path is None
    assert "2 contours have these facts" in asked.lacks
    for k in (0, 1):
        record = LINK.changed(values={**LINK.values, "chosen": chosen_text(asked.answers[k], "mm")})
        assert read(record).chosen == k
        wider = record.changed(
            elements=(*LINK.elements[:1], element("arc", "ccw", smooth=True, radius=7), LINK.elements[2])
        )
        assert read(wider).chosen == k, "the nearest answer is meant"


def test_a_chosen_answer_that_is_gone_is_asked_for_again() -> None:
    asked = read(LINK)
    kept = LINK.changed(values={**LINK.values, "chosen": chosen_text(asked.answers[1], "mm")})
    between = "; ".join(
        f"{(a[0] + b[0]) / 2}, {(a[1] + b[1]) / 2}"
        for a, b in zip(*(joints(answer) for answer in asked.answers), strict=True)
    )
    assert read(kept).chosen == 1
    found = read(LINK.changed(values={**LINK.values, "chosen": between}))
    assert found.chosen == -1
    assert "Choose one" in found.lacks


def test_the_elements_of_the_chosen_answer_are_its_own_when_corners_are_put_in() -> None:
    """Both answers are equally long; the corner shortens the second one more, and so it becomes the first."""
    record = LINK.changed(
        elements=(element("line", x=0, y=0, corner=3), element("line", length=30),
                  element("line", length=25, x=30, y=20), element("line", x=40, y=0)),
    )  # fmt: skip
    asked = read(record)
    assert len(asked.answers) == 2
    for k, answer in enumerate(asked.answers):
        one = read(record.changed(values={**LINK.values, "chosen": chosen_text(answer, "mm")}))
        assert one.chosen == k
        ends = {m.source: m.end for m in answer.members if not m.corner}
        assert one.known[0].end == (0.0, 0.0)
        assert [m.end for m in one.known[1:]] == [ends[1], ends[2], ends[3]]


def test_the_other_half_of_a_mirrored_contour_closes_it() -> None:
    values = {"start_x": "0", "start_y": "0", "mirror": "yes", "mirror_x": "0", "mirror_angle": "90"}
    half = ContourRecord(
        id="~m", name="m", values=values,
        elements=(element("line", dx=20, dy=0), element("line", dy=15, dx=0), element("line", x=0, angle=180)),
    )  # fmt: skip
    found = read(half)
    assert found.lacks == ""
    assert found.closed
    assert found.path is not None
    assert found.path.length == pytest.approx(110)
    inch = in_units(plate().changed(contours=(half,)), "inch", keep_size=True)
    assert read(inch.contours[0], "inch").path.length == pytest.approx(found.path.length, abs=1e-3)  # type: ignore[union-attr]


def test_sentences_speak_in_the_units_of_the_job() -> None:
    small = element("arc", "cw", radius=1, x=4, y=0)
    record = ContourRecord(values={"start_x": "0", "start_y": "0", "closed": "no"}, elements=(small,))
    assert "at least 2 is needed" in read(record).lacks
    assert "at least 2 is needed, for its ends are 4 apart; it is 1." in read(record, "inch").lacks
    square = [element("line", x=x, y=y) for x, y in ((2, 0), (2, 2), (0, 2))]
    square.insert(0, element("line", x=2, y=0, corner=3))
    tight = ContourRecord(
        values={"start_x": "0", "start_y": "0"},
        elements=(element("line", x=2, y=0, corner=3), *square[2:], element("line", x=0, y=0)),
    )
    assert "can be at most 2; it is 3." in read(tight, "inch").lacks
    assert "at most half the width, 5." in read(rectangle("box", 0, 0, 20, 10, 0, "6"), "inch").lacks


@pytest.mark.parametrize(
    "facts", [{"radius": "-4"}, {"radius": "oak"}, {"wobble": "3"}, {"length": "3"}, {"cx": "1e99"}]
)
def test_a_bad_fact_is_told_at_its_element(facts: dict[str, str]) -> None:
    bad = LINK.changed(elements=(LINK.elements[0], ElementRecord(type="arc", dir="cw", facts=facts), LINK.elements[2]))
    found = read(bad)
    assert found.path is None
    (key,) = facts
    assert found.problems[0].field == f"1.{key}"
    assert found.problems[0].text.endswith((".", "sqrt."))


def test_circles_and_rectangles() -> None:
    ring = read(circle("ring", 5, -3, 12))
    assert ring.closed
    assert ring.path is not None
    assert ring.path.length == pytest.approx(12 * math.pi)
    box = read(rectangle("box", 0, 0, 20, 10, 30, "2"))
    assert box.path is not None
    assert box.path.length == pytest.approx(60 - 16 + 4 * math.pi)
    assert "at most half the width, 5" in read(rectangle("box", 0, 0, 20, 10, 0, "6")).lacks
    unsaid = read(ContourRecord(values={"shape": "circle", "centre_x": "0", "centre_y": "0"}))
    assert unsaid.missing == ("diameter",)
    assert unsaid.lacks == "Diameter is not answered yet."


def test_a_change_of_units_keeps_the_size_of_contours() -> None:
    asked = read(LINK)
    chosen = LINK.changed(values={**LINK.values, "chosen": chosen_text(asked.answers[1], "mm")})
    job = in_units(plate().changed(contours=(chosen, circle("ring", 5, -3, 12))), "inch", keep_size=True)
    link, ring = (read(c, "inch") for c in job.contours)
    before = read(chosen).path
    assert before is not None
    assert link.path is not None
    assert link.path.length == pytest.approx(before.length, abs=1e-3)
    assert link.chosen == 1
    assert ring.values.diameter == pytest.approx(12, abs=1e-4)


def test_a_step_says_what_its_contour_lacks_and_others_go_on() -> None:
    outline = Step(id="o", cycle="outline", values={"contour": HALF.id, "depth": "3"})
    gone = changed(outline, contour="~nowhere").changed(id="g")
    face = Step(id="f", cycle="face")
    steps = plan(plate(outline, gone, face).changed(contours=CONTOURS)).steps
    assert [s.ready for s in steps] == [False, False, True]
    assert steps[0].answers.problems == ()
    assert "Contour “half”: One more fact" in steps[0].answers.begun["contour"]
    assert "a contour is gone" in steps[1].answers.problems[0].text


def test_islands_are_taken_whichever_way_round_they_were_drawn() -> None:
    around = read(rectangle("box", 0, 0, 20, 10))
    assert around.path is not None
    back = NamedContour("~b", "back", around.path.reversed(), True, "", around.values)
    from bastler.core.fields import Values
    from bastler.core.geometry.path import area

    (path,) = contours_of(Values({"contour": back}), "contour")
    assert area(path) > 0
