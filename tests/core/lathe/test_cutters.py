"""Insert and holder codes, and the outlines that follow from them."""

from __future__ import annotations

import math

import pytest
import shapely

from bastler.core.problems import Unusable
from bastler.core.tooling.cutters import blade_cutter, boring_cutter, hull, thread_cutter, turning_cutter
from bastler.core.tooling.inserts import read_holder, read_insert
from bastler.core.tooling.kinds import KINDS, read_tool


@pytest.mark.parametrize(
    ("code", "corner", "edge", "nose"),
    [
        ("CNMG120408", 80, 12.7 / math.sin(math.radians(80)), 0.8),
        ("DCMT11T304", 55, 9.525 / math.sin(math.radians(55)), 0.4),
        ("VBMT160404", 35, 9.525 / math.sin(math.radians(35)), 0.4),
        ("TNMG160408", 60, 9.525 * math.sqrt(3), 0.8),
        ("SNMG120412", 90, 12.7, 1.2),
        ("WNMG080408", 80, 12.7 * 0.6845, 0.8),
        ("RCMT1003M0", 0, 10, 5),
    ],
)
def test_a_code_says_corner_edge_and_nose(code: str, corner: float, edge: float, nose: float) -> None:
    insert = read_insert(code)
    assert (insert.corner, insert.nose) == (corner, nose)
    assert insert.edge == pytest.approx(edge)
    assert read_insert(f" {code[:4].lower()} {code[4:]} ") == insert


@pytest.mark.parametrize(
    ("code", "says"),
    [
        ("XNMG120408", "place 1, “X” is no shape"),
        ("CXMG120408", "place 2, “X” is no clearance"),
        ("CNZG120408", "place 3, “Z” is no tolerance"),
        ("CNMZ120408", "place 4, “Z” is no type"),
        ("CNMGAB0408", "place 5"),
        ("CNMG120", "place 7, “0” is no thickness"),
        ("CNMG1204XX", "place 9"),
        ("CNMG990408", "shape C has no edge length 99"),
        ("RCMT100308", "nose of a round insert"),
        ("", "place 1, the shape is missing"),
    ],
)
def test_a_wrong_code_says_which_letter(code: str, says: str) -> None:
    with pytest.raises(Unusable) as told:
        read_insert(code)
    assert says in str(told.value)


def test_a_holder_code_says_lead_hand_and_shank() -> None:
    style = read_holder("PCLNR 2525 M12")
    assert (style.shape, style.lead, style.hand, style.width) == ("C", 95, "R", 25)
    for wrong, says in (
        ("PCLN", "isn't of the form"),
        ("PXLNR2525M12", "no insert shape"),
        ("PCINR2525M12", "no style"),
    ):
        with pytest.raises(Unusable, match=says):
            read_holder(wrong)


def test_edges_lean_as_the_lead_angle_says() -> None:
    cutter = turning_cutter(read_insert("CNMG120408"), 95.0, "right", 20.0, 40.0)
    nose, *_ = (p for p in cutter.skeleton if math.dist(p, (0.8, 0.8)) < 1e-9)
    angles = sorted(math.degrees(math.atan2(r - nose[1], z - nose[0])) for z, r in cutter.skeleton if (z, r) != nose)
    assert angles[0] == pytest.approx(5)
    assert angles[-1] == pytest.approx(85)
    outline = cutter.outline(1e-5)
    assert min(z for z, _ in outline) == pytest.approx(0.0, abs=1e-4)
    assert min(r for _, r in outline) == pytest.approx(0.0, abs=1e-4)


def test_a_left_hand_tool_is_the_mirror_image() -> None:
    right, left = (turning_cutter(read_insert("DNMG150608"), 93.0, hand, 20.0, 40.0) for hand in ("right", "left"))  # type: ignore[arg-type]
    assert left.tip == (1, -1)
    assert sorted((round(-z, 9), round(r, 9)) for z, r in left.skeleton) == sorted(
        (round(z, 9), round(r, 9)) for z, r in right.skeleton
    )


def test_a_boring_bar_fits_into_its_smallest_bore() -> None:
    cutter = boring_cutter(read_insert("CCMT060204"), 95.0, "right", 10.0, 12.5, 40.0)
    low = min(r for _, r in cutter.body[0])
    assert cutter.tip == (-1, 1)
    assert 12.5 / 2 + low >= -12.5 / 2, "with its nose on the wall the bar clears the other side"
    assert max(r for _, r in cutter.outline(0.001)) == pytest.approx(0.0, abs=1e-3)


@pytest.mark.parametrize("reach", ["out", "in", "face"])
def test_a_blade_points_its_way(reach: str) -> None:
    cutter = blade_cutter(3.0, 0.2, 10.0, reach, 20.0, 30.0)  # type: ignore[arg-type]
    _, z1, r0, r1 = cutter.extent()
    far = {"out": r1, "in": z1, "face": z1}[reach]
    assert far == pytest.approx({"out": 40.0, "in": 30.0 + 20.0, "face": 40.0}[reach]), (
        "the bar for a bore lies along the axis"
    )
    if reach == "in":
        assert r0 == pytest.approx(-10.0 - 20.0 - 15.0), "what clamps it stands out"
    assert cutter.second is not None
    assert math.hypot(*cutter.second) == pytest.approx(3.0)
    assert cutter.plunges


def test_a_tooth_has_its_angle() -> None:
    cutter = thread_cutter(2.0, 60.0, 0.25, "out", 20.0, 30.0)
    width = max(z for z, _ in cutter.skeleton) - min(z for z, _ in cutter.skeleton)
    assert width == pytest.approx(0.25 + 2 * 2.0 * math.tan(math.radians(30)))


@pytest.mark.parametrize("kind", sorted(k for k in KINDS if KINDS[k].machine == "lathe"))
def test_every_lathe_tool_asks_for_what_it_needs(kind: str) -> None:
    tool, answers = read_tool(1, kind, "", {})
    assert tool is None
    assert answers.missing or answers.problems
    typed = {"insert": "CCMT060204", "diameter": "10", "width": "3", "pitch": "2", "grips_from": "10", "grips_to": "30"}
    own = {f.key for f in KINDS[kind].fields}
    tool, answers = read_tool(1, kind, "", {k: v for k, v in typed.items() if k in own})
    assert answers.problems == ()
    assert tool is not None
    assert tool.cutter is not None
    assert tool.in_plane == tool.cutter


@pytest.mark.parametrize(
    ("kind", "typed", "field", "says"),
    [
        ("turning-tool", {"insert": "CNMG12040"}, "insert", "place 9"),
        ("turning-tool", {"insert": "CNMG120408", "holder_code": "PDJNR2020K15"}, "holder_code", "takes inserts of shape D"),
        ("turning-tool", {"insert": "CNMG120408", "lead_angle": "107"}, "lead_angle", "would drag"),
        ("turning-tool", {"insert": "CNMG120408", "corner_radius": "7"}, "corner_radius", "smaller nose radius"),
        ("boring-tool", {"insert": "CCMT060204", "diameter": "16", "smallest_bore": "12"}, "smallest_bore", "thicker than the bore"),
        ("grooving-tool", {"width": "2", "corner_radius": "1.5"}, "corner_radius", "half the width"),
    ],
)  # fmt: skip
def test_sizes_that_contradict_are_told(kind: str, typed: dict[str, str], field: str, says: str) -> None:
    tool, answers = read_tool(1, kind, "", typed)
    assert tool is None
    assert any(p.field == field and says in p.text for p in answers.problems)


def test_a_hull_is_convex_and_keeps_its_corners() -> None:
    assert set(hull([(0, 0), (2, 0), (1, 0.5), (2, 2), (0, 2), (1, 1)])) == {(0, 0), (2, 0), (2, 2), (0, 2)}


CODES = {
    "A": "ANMG160408", "B": "BNMG160408", "C": "CNMG120408", "D": "DNMG150608", "E": "ENMG130408", "H": "HNMG070408", "K": "KNMG160408",
    "L": "LNMG120408", "M": "MNMG120408", "O": "ONMG050408", "P": "PNMG110408", "S": "SNMG120408", "T": "TNMG160408", "V": "VBMT160408", "W": "WNMG080408",
}  # fmt: skip
"""One insert of every shape of ISO 1832."""


@pytest.mark.parametrize("shape", CODES)
def test_an_insert_s_edge_is_as_long_as_its_outline_computed_otherwise(shape: str) -> None:
    """The outline as polar coordinates of its corners about its middle, rounded by opening it with a disc; then the closed form of its area."""
    try:
        insert = read_insert(CODES[shape])
    except Unusable:
        sizes = [f"{n:02d}" for n in range(4, 33)]
        insert = next(i for i in (_read_or_none(f"{shape}NMG{n}0408") for n in sizes) if i is not None)
    own = shapely.Polygon(turning_cutter(insert, 90.0, "right", 20.0, 40.0).outline(1e-5))
    sharp, angles = _sharp(shape, insert.edge, insert.corner)
    r = insert.nose
    rounded = sharp.buffer(-r, join_style="mitre").buffer(r, quad_segs=400)
    assert own.area == pytest.approx(rounded.area, rel=1e-4)
    lost = sum(r * r * (1 / math.tan(math.radians(a / 2)) - math.radians(180 - a) / 2) for a in angles)
    assert own.area == pytest.approx(sharp.area - lost, rel=1e-4)
    widths = sorted(own.minimum_rotated_rectangle.exterior.length for _ in (0,))
    assert widths[0] == pytest.approx(rounded.minimum_rotated_rectangle.exterior.length, rel=1e-3)


def _read_or_none(code: str):  # type: ignore[no-untyped-def]
    try:
        return read_insert(code)
    except Unusable:
        return None


def _sharp(shape: str, edge: float, corner: float) -> tuple[shapely.Polygon, list[float]]:
    regular = {"T": 3, "S": 4, "P": 5, "H": 6, "O": 8}
    if shape in regular:
        n = regular[shape]
        out = edge / (2 * math.sin(math.pi / n))
        points = [(out * math.cos(math.tau * k / n), out * math.sin(math.tau * k / n)) for k in range(n)]
        return shapely.Polygon(points), [corner] * n
    if shape == "W":
        # Three corners of 80° far out and three of 160° near in, all edges alike: by the law of sines.
        near = edge * math.sin(math.radians(corner / 2)) / math.sin(math.radians(60))
        far = edge * math.sin(math.radians(120 - corner / 2)) / math.sin(math.radians(60))
        points = [
            ((far, near)[k % 2] * math.cos(math.pi * k / 3), (far, near)[k % 2] * math.sin(math.pi * k / 3))
            for k in range(6)
        ]
        return shapely.Polygon(points), [corner, 240 - corner] * 3
    half = math.radians(corner / 2)
    points = [
        (edge * math.cos(half), 0),
        (0, edge * math.sin(half)),
        (-edge * math.cos(half), 0),
        (0, -edge * math.sin(half)),
    ]
    return shapely.Polygon(points), [corner, 180 - corner] * 2


def test_the_two_that_were_too_short() -> None:
    """The rhombus keeps edge − 2r/sin ε: VBMT160408 was 2.29 mm short, CNMG120408 0.28."""
    for code, corner, was_short in (("VBMT160408", 35.0, 2.29), ("CNMG120408", 80.0, 0.28)):
        insert = read_insert(code)
        skeleton = turning_cutter(insert, 93.0, "right", 20.0, 40.0).skeleton
        a = max(math.dist(skeleton[k], skeleton[(k + 1) % 4]) for k in range(4))
        old = insert.edge - 2 * insert.nose / math.tan(math.radians(corner / 2))
        assert a == pytest.approx(insert.edge - 2 * insert.nose / math.sin(math.radians(corner)))
        assert a - old == pytest.approx(was_short, abs=0.01)
