"""The magazine: what lies where, what clashes, what is missing, what is idle."""

from __future__ import annotations

from bastler.core.planner import plan
from bastler.core.plans.magazine import magazine, pocket_of, used_tools
from tests.jobs import CORNERS, DRILL_68, DRILL_85, END_MILL, FACE, FACE_MILL, LEFT, TOOLS, plate


def in_pocket(tool, pocket):
    return tool.changed(values={**tool.values, "pocket": str(pocket)})


def test_a_tool_is_in_the_pocket_of_its_number_or_in_its_own() -> None:
    found = magazine(plan(plate(FACE, LEFT, tools=(FACE_MILL, in_pocket(END_MILL, 9), DRILL_68))))
    assert len(found.pockets) == 16
    assert {p.number: [t.number for t in p.tools] for p in found.pockets if p.tools} == {1: [1], 9: [2], 3: [3]}
    assert {p.number for p in found.pockets if p.needed} == {1, 9}
    assert found.remarks == (("note", "T3 is not needed by any step: its pocket is free for others."),)


def test_two_tools_in_one_pocket_clash() -> None:
    found = magazine(plan(plate(FACE, LEFT, tools=(FACE_MILL, in_pocket(END_MILL, 1)))))
    assert found.remarks[0] == ("stop", "Pocket 1 is given to T1 and T2. Give one of them another pocket.")


def test_a_used_tool_without_a_pocket_is_missing() -> None:
    far = DRILL_85.changed(number=40)
    found = magazine(plan(plate(FACE, CORNERS, tools=(FACE_MILL, far, END_MILL.changed(number=41)))))
    assert [t.number for t in found.outside] == [40, 41]
    assert [s for s, _ in found.remarks] == ["warn"]
    assert "T40 (drill 8.5) is used but is in no pocket of 1 to 16" in found.remarks[0][1]


def test_without_a_magazine_the_order_of_use_counts() -> None:
    job = plate(LEFT, FACE, CORNERS, tools=TOOLS)
    job = job.with_setup(job.setups[0].changed(machine="knee-mill-inch"))
    planned = plan(job)
    found = magazine(planned)
    assert found.pockets == ()
    assert "by hand, in this order: T2 end mill 10, T1 face mill 50, T4 drill 8.5." in found.remarks[0][1]
    assert [t.number for t in used_tools(planned)] == [2, 1, 4]
    assert pocket_of(planned.tools[2], 1) == 0
