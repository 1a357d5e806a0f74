"""The handle hub: a bar on a turning centre, turned, with holes by driven tools."""

from __future__ import annotations

from bastler.core.job.document import Job, Setup, Step, ToolRecord

HOLDER = {"holder": "40 x 30", "flutes": "2"}


def _driven(number: int, kind: str, name: str, which: str, **sizes: str) -> ToolRecord:
    return ToolRecord(number=number, kind=kind, name=name, values={**HOLDER, **sizes, "driven": which})


def both(number: int, kind: str, name: str, **sizes: str) -> tuple[ToolRecord, ToolRecord]:
    """A tool in a holder along the axis, and one towards it, ten numbers on."""
    return _driven(number, kind, f"{name} along", "along", **sizes), _driven(
        number + 10, kind, f"{name} across", "across", **sizes
    )


TOOLS = (
    ToolRecord(number=1, kind="turning-tool", name="roughing", values={"insert": "CNMG120408", "holder_code": "PCLNR2020K12", "stick_out": "40"}),
    *both(2, "drill", "drill 4.2", diameter="4.2", flute_length="40", stick_out="50"),
    *both(3, "drill", "drill 8", diameter="8", flute_length="75", stick_out="85"),
    *both(4, "spot-drill", "spot drill 10", diameter="10", flute_length="20", stick_out="35"),
    *both(5, "reamer", "reamer 8", diameter="8", flute_length="30", stick_out="60"),
    *both(6, "countersink", "countersink 16", diameter="16", flute_length="12", stick_out="40", tip_diameter="0"),
    *both(7, "end-mill", "end mill 14", diameter="14", flute_length="25", stick_out="40", plunges="yes"),
    *both(8, "end-mill", "end mill 6", diameter="6", flute_length="16", stick_out="30"),
    *both(23, "end-mill", "end mill 8", diameter="8", flute_length="20", stick_out="30", plunges="yes"),
    *both(20, "tap", "tap M5", thread="M5", flute_length="14", stick_out="40"),
    *both(21, "chamfer-mill", "chamfer mill 8", diameter="8", flute_length="6", stick_out="40"),
    ToolRecord(number=40, kind="parting-tool", name="parting blade 3", values={"width": "3", "corner_radius": "0.2", "deep": "32"}),
    ToolRecord(number=9, kind="drill", name="drill 8 standing", values={**HOLDER, "diameter": "8", "flute_length": "75", "stick_out": "85"}),
)  # fmt: skip
FACE = Step(id="face", cycle="end_face", values={"tool": "1", "face_z": "0"})
TURN = Step(
    id="turn", cycle="turn", values={"shape": "cylinder", "tool": "1", "work": "both", "diameter": "58", "length": "50"}
)
BOLTS = Step(id="bolts", cycle="drill", values={
    "works_on": "end", "pattern": "circle", "centre_x": "0", "centre_y": "0", "circle_diameter": "42", "count": "5", "diameter": "4.2", "depth": "12", "tool": "2",
})  # fmt: skip
HANDLES = Step(id="handles", cycle="drill", values={
    "works_on": "round", "at_angle": "0", "from_axis": "29", "times_round": "3", "pattern": "points", "points": "-20, 0", "diameter": "8", "depth": "20", "tool": "13",
})  # fmt: skip
MACHINES = {"mm": "turning-centre-mm", "inch": "turning-centre-inch"}


def hub(*steps: Step, machine: str = "turning-centre-mm", tools: tuple[ToolRecord, ...] = TOOLS) -> Job:
    """A bar of 60, 70 out of the jaws, and steps; without any, turned and drilled in face and side."""
    values = {"stock_kind": "round", "diameter": "60", "out": "70", "part_length": "55", "over_front": "1"}
    setup = Setup(machine=machine, material="C45", values=values, steps=steps or (FACE, TURN, BOLTS, HANDLES))
    return Job(name="Handle hub", units="mm", tools=tools, setups=(setup,))
