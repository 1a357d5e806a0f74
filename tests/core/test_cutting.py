"""Depth, side step and feed found together: what tool, table, stiffness and power allow; and the tables themselves."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from bastler.core.tooling.cutting import best_cut, cut_at, deepest, slot_depth, table_chip, table_feed, width_for, wrap
from bastler.core.tooling.cuttingdata import WAYS, feed_per_tooth, tables
from bastler.core.tooling.feeds import suggest_feed, suggest_speed
from bastler.core.tooling.kinds import read_tool
from bastler.core.tooling.machines import machines
from bastler.core.tooling.materials import materials
from bastler.core.tooling.power import available, drilling_power, milling_power

GROUPS = "PMKNSH"
SMALL, LARGE = machines()["small-mill-mm"], machines()["large-mill-mm"]


def mill(diameter: float = 10, flutes: int = 3, length: float = 22, out: float = 32):  # type: ignore[no-untyped-def]
    typed = {"diameter": str(diameter), "flutes": str(flutes), "flute_length": str(length), "stick_out": str(out)}
    tool, answers = read_tool(1, "end-mill", f"end mill {diameter}", typed)
    assert tool is not None, answers.problems
    return tool


MILLS = st.builds(
    lambda d, z, long: mill(d, z, round(long * d, 1), round(1.4 * long * d, 1)),
    st.sampled_from((3.0, 4.0, 6.0, 8.0, 10.0, 12.0, 16.0, 20.0)), st.integers(2, 5), st.floats(1.5, 3.0),
)  # fmt: skip
CASES = {
    "tool": MILLS,
    "material": st.sampled_from(tuple(materials().values())),
    "machine": st.sampled_from((SMALL, LARGE)),
}


@given(**CASES, height=st.floats(0.5, 40.0), slots=st.booleans())
def test_a_suggested_cut_keeps_power_flutes_and_the_tables_chip(tool, material, machine, height, slots) -> None:  # type: ignore[no-untyped-def]
    speed = float(suggest_speed(tool, material, machine).text)
    cut = best_cut(tool, material, machine, speed, height, 0.8 * tool.diameter, slots)
    assert milling_power(tool, material, cut.depth, cut.width, speed, cut.feed) <= 0.801 * available(machine, speed)
    assert cut.depth <= tool.flute_length + 1e-9
    assert cut.depth <= deepest(tool, material, cut.width) + 1e-6
    assert height / cut.depth == pytest.approx(round(height / cut.depth)), "all levels are alike"
    share = cut.feed / table_feed(tool, material, machine, cut)
    weak = milling_power(tool, material, 0.05 * tool.diameter, 0.05 * tool.diameter, speed, cut.feed)
    assert share <= 1.0 + 1e-9
    assert share >= 0.65 or weak > 0.1 * available(machine, speed), "no feed collapses where a smaller cut would do"


@given(**CASES, height=st.floats(1.0, 40.0))
def test_nothing_beats_it_by_much(tool, material, machine, height) -> None:  # type: ignore[no-untyped-def]
    """Against every cut on a coarse grid of its own."""
    speed = float(suggest_speed(tool, material, machine).text)
    best = best_cut(tool, material, machine, speed, height, 0.8 * tool.diameter)
    for share in (0.06, 0.1, 0.2, 0.35, 0.5, 0.8):
        width = share * tool.diameter
        for levels in range(1, 40):
            one = cut_at(tool, material, machine, speed, height / levels, width)
            fits = one.depth <= deepest(tool, material, width)
            if fits and one.feed >= 0.7 * table_feed(tool, material, machine, one):
                assert one.rate / (1 + 0.03 * (levels - 1)) <= 1.12 * best.rate


@given(tool=MILLS, share=st.floats(0.02, 1.0))
def test_depth_times_wrap_stays_what_the_slot_has(tool, share) -> None:  # type: ignore[no-untyped-def]
    material, width = materials()["C45"], share * tool.diameter
    most = deepest(tool, material, width)
    assert most * wrap(tool, width) <= math.pi * slot_depth(tool, material) + 1e-6 or most <= tool.flute_length
    assert width_for(tool, wrap(tool, width)) == pytest.approx(width)


def test_a_tool_that_stands_out_twice_as_far_is_allowed_an_eighth() -> None:
    near, far = mill(10, 3, 30, 40), mill(10, 3, 30, 80)
    c45 = materials()["C45"]
    assert slot_depth(near, c45) / slot_depth(far, c45) == pytest.approx(8.0)


@pytest.mark.parametrize("part", ["slot_depth", "face_depth", "tooth", "turn", "share"])
def test_every_table_has_all_groups_and_falls_from_aluminium_to_hard_steel(part: str) -> None:
    found = tables()[part]
    for row in [found] if "P" in found else found.values():
        assert set(row) == set(GROUPS)
        assert row["N"] >= row["P"] >= row["M"] >= row["S"] >= row["H"] > 0
        assert row["K"] >= row["P"]


USUAL = {
    "face-mill": (0.1, 0.3), "boring-bar": (0.05, 0.15), "reamer": (0.1, 0.35), "drill": (0.08, 0.3),
}  # fmt: skip
"""Feeds per edge (of mills) or per turn (of the others) that textbooks give for steel at 10 mm, of face mills whatever their size."""


@pytest.mark.parametrize("kind", USUAL)
def test_feeds_in_steel_lie_where_the_usual_tables_have_them(kind: str) -> None:
    typed = {"diameter": "10", "flutes": "2", "flute_length": "30", "stick_out": "50", "smallest_bore": "9"}
    tool, answers = read_tool(1, kind, kind, typed)
    assert tool is not None, answers.problems
    low, high = USUAL[kind]
    per = feed_per_tooth(tool, materials()["C45"]) * (1 if kind == "face-mill" else tool.flutes)
    assert low <= per <= high


@pytest.mark.parametrize("kind", WAYS)
def test_every_kind_has_a_feed_in_every_group(kind: str) -> None:
    more = {
        "pitch": "1",
        "smallest_bore": "9",
        "tip_diameter": "2",
        "pilot_length": "3",
        "side_angle": "5",
        "thread": "M10",
    }
    typed = {"diameter": "10", "flute_length": "60", "stick_out": "80", **more}
    tool, answers = read_tool(1, kind, kind, typed)
    assert tool is not None, answers.problems
    for material in materials().values():
        assert 0.0005 < feed_per_tooth(tool, material) <= 0.4


@given(diameter=st.floats(4, 40), material=st.sampled_from(tuple(materials().values())))
def test_drills_keep_to_the_power_too(diameter: float, material) -> None:  # type: ignore[no-untyped-def]
    tool, _ = read_tool(
        1, "insert-drill", "drill", {"diameter": f"{diameter:.2f}", "flute_length": "80", "stick_out": "100"}
    )
    assert tool is not None
    speed = float(suggest_speed(tool, material, SMALL).text)
    feed = float(suggest_feed(tool, material, SMALL, speed).text)
    assert drilling_power(tool, material, speed, feed) <= 0.81 * available(SMALL, speed)


def test_a_shallow_cut_feeds_faster_and_a_thin_one_too() -> None:
    tool, c45 = mill(), materials()["C45"]
    assert table_chip(tool, c45, 0.3) > table_chip(tool, c45, 5.0)
    speed = 4700.0
    assert cut_at(tool, c45, LARGE, speed, 3.0, 0.5).feed > 2 * cut_at(tool, c45, LARGE, speed, 3.0, 5.0).feed


def test_the_machines_feed_is_the_limit() -> None:
    slow = replace(LARGE, feed_limit=300.0)
    assert cut_at(mill(), materials()["AW-6082"], slow, 6000, 1.0, 1.0).feed == 300.0
