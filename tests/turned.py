"""Random turned contours, tools of a lathe, and jobs with them."""

from __future__ import annotations

import math

from bastler.core.job.document import ContourRecord, ElementRecord, Job, Setup, Step, ToolRecord

LATHE_TOOLS = (
    ToolRecord(number=1, kind="turning-tool", name="CNMG 0.8", values={"insert": "CNMG120408"}),
    ToolRecord(number=2, kind="turning-tool", name="VBMT 0.4", values={"insert": "VBMT160404", "lead_angle": "93"}),
    ToolRecord(number=3, kind="turning-tool", name="button 6", values={"insert": "RCMT0602M0"}),
    ToolRecord(number=4, kind="turning-tool", name="DNMG 0.8", values={"insert": "DNMG150608", "lead_angle": "93"}),
    ToolRecord(number=5, kind="boring-tool", name="bar 10", values={"insert": "CCMT060204", "diameter": "10"}),
    ToolRecord(number=6, kind="boring-tool", name="bar 12 D", values={"insert": "DCMT070204", "diameter": "12", "lead_angle": "93"}),
    ToolRecord(number=7, kind="grooving-tool", name="blade 3", values={"width": "3", "corner_radius": "0.2", "deep": "12"}),
    ToolRecord(number=8, kind="grooving-tool", name="inside blade 2", values={"points": "in", "width": "2", "deep": "4", "shank_diameter": "8", "stick_out": "45"}),
    ToolRecord(number=9, kind="grooving-tool", name="face blade 3", values={"points": "face", "width": "3", "deep": "10"}),
    ToolRecord(number=10, kind="parting-tool", name="parting blade 3", values={"width": "3", "deep": "28"}),
    ToolRecord(number=11, kind="threading-tool", name="60 outside", values={"pitch": "3"}),
    ToolRecord(number=12, kind="threading-tool", name="60 inside", values={"points": "in", "pitch": "2", "shank_diameter": "8", "stick_out": "45"}),
    ToolRecord(number=13, kind="drill", name="drill 10", values={"diameter": "10", "flutes": "2", "flute_length": "60", "stick_out": "70"}),
    ToolRecord(number=14, kind="drill", name="drill 22", values={"diameter": "22", "flutes": "2", "flute_length": "80", "stick_out": "90"}),
    ToolRecord(number=15, kind="spot-drill", name="spot drill", values={"diameter": "12", "flutes": "2", "flute_length": "20", "stick_out": "40"}),
    ToolRecord(number=16, kind="tap", name="tap M12", values={"thread": "M12", "flute_length": "30", "stick_out": "60"}),
    ToolRecord(number=18, kind="turning-tool", name="VBMT left", values={"insert": "VBMT160404", "lead_angle": "93", "hand": "left"}),
    ToolRecord(number=19, kind="boring-tool", name="bar 10 left", values={"insert": "DCMT070204", "diameter": "10", "lead_angle": "93", "hand": "left"}),
    ToolRecord(number=20, kind="bar-stop", name="stop", values={"diameter": "20", "stick_out": "40"}),
    ToolRecord(number=24, kind="bar-puller", name="puller", values={"grips_from": "20", "grips_to": "51", "deep": "12", "stick_out": "40"}),
    ToolRecord(number=21, kind="grooving-tool", name="leaning blade 2", values={"width": "2", "deep": "8", "lean": "45"}),
    ToolRecord(number=22, kind="grooving-tool", name="blade 2, leans away", values={"width": "2", "deep": "9", "lean": "-30"}),
    ToolRecord(number=23, kind="grooving-tool", name="leaning inside blade", values={"points": "in", "width": "1.5", "deep": "5", "lean": "45", "shank_diameter": "8", "stick_out": "45"}),
    ToolRecord(number=17, kind="drill", name="drill 10.2", values={"diameter": "10.2", "flutes": "2", "flute_length": "60", "stick_out": "70"}),
)  # fmt: skip
BAR = {"diameter": "50", "out": "90", "over_front": "1.5"}
TUBE = {"stock_kind": "tube", "diameter": "50", "bore": "22", "out": "90", "over_front": "1.5"}


def element(kind: str, *, way: str = "", **facts: float) -> ElementRecord:
    """A line or arc with its facts."""
    return ElementRecord(type=kind, dir=way, facts={k: f"{v:.4f}" for k, v in facts.items()})  # type: ignore[arg-type]


def turned_contour(draw, key: str, low: float, high: float, length: float) -> ContourRecord:  # type: ignore[no-untyped-def]
    """From the front towards the chuck: shoulders, tapers, radii, undercuts, between two radii."""
    z, r = 0.0, draw.number(low, high)
    values = {"plane": "ZX", "start_z": "0", "start_x": f"{2 * r:.4f}", "closed": "no"}
    elements: list[ElementRecord] = []
    for _ in range(int(draw.choice(("1", "2", "3", "4")))):
        what = draw.choice(("straight", "shoulder", "taper", "arc", "undercut"))
        step = max(draw.number(2.0, length / 4), 1.0)
        if what == "shoulder":
            new = draw.number(low, high)
            if abs(new - r) > 0.2:
                elements.append(element("line", z=z, x=2 * new))
                r = new
        if what in ("straight", "shoulder"):
            z -= step
            elements.append(element("line", z=z, x=2 * r))
        elif what == "taper":
            z, r = z - step, draw.number(low, high)
            elements.append(element("line", z=z, x=2 * r))
        elif what == "arc":
            bulge = draw.choice(("cw", "ccw"))
            z2, r2 = z - step, draw.number(max(low, r - 0.6 * step), min(high, r + 0.6 * step))
            elements.append(_arc(z, r, z2, r2, bulge, draw.number(0.7, 2.0)))
            z, r = z2, r2
        elif what == "undercut":
            deep = min(draw.number(0.3, 2.0), r - low + 0.3)
            run = max(step, 2 * deep)
            elements += [
                element("line", z=z - deep, x=2 * (r - deep)),
                element("line", z=z - run, x=2 * (r - deep)),
                element("line", z=z - run - deep, x=2 * r),
            ]
            z -= run + deep
    if draw.choice(("yes", "no")) == "yes" or not elements:
        z -= 3.0
        elements.append(element("line", z=z, x=2 * r))
    return ContourRecord(id=key, name=key.strip("~"), values=values, elements=tuple(elements))


def _arc(z: float, r: float, z2: float, r2: float, way: str, flatness: float) -> ElementRecord:
    """The smaller arc between two places."""
    chord = math.dist((z, r), (z2, r2))
    radius = chord / 2 * (1 + flatness)
    height = math.sqrt(radius**2 - chord**2 / 4)
    left = (-(r2 - r) / chord, (z2 - z) / chord)
    sign = 1.0 if way == "ccw" else -1.0
    cz, cr = (z + z2) / 2 + sign * left[0] * height, (r + r2) / 2 + sign * left[1] * height
    return element("arc", way=way, z=z2, x=2 * r2, cz=cz, cx=2 * cr)


def turned_contours(draw) -> tuple[ContourRecord, ...]:  # type: ignore[no-untyped-def]
    """One for the outside and one for a bore."""
    outer = turned_contour(draw, "~outer", 13.5, 24.0, 50.0)
    bore = turned_contour(draw, "~bore", 11.5, 17.0, 30.0)
    return (outer, bore)


def lathe_job(*steps: Step, contours: tuple[ContourRecord, ...] = (), tube: bool = False, **setup: str) -> Job:
    """A job on the small lathe."""
    values = {**(TUBE if tube else BAR), **setup}
    return Job(
        name="loop",
        tools=LATHE_TOOLS,
        contours=contours,
        setups=(Setup(machine="small-lathe-mm", values=values, steps=steps),),
    )


def lines(key: str, start_x: float, *ends: tuple[float, float]) -> ContourRecord:
    """A contour of lines from Z 0 and a diameter on, by their ends (Z, diameter)."""
    values = {"plane": "ZX", "start_z": "0", "start_x": str(start_x), "closed": "no"}
    return ContourRecord(id=key, name=key, values=values, elements=tuple(element("line", z=z, x=x) for z, x in ends))


COLLAR = lines("shaft", 30, (-30, 30), (-30, 46), (-50, 46))
UNDERCUT = {
    "where": "corner", "tool": "21", "corner_z": "-30", "corner_diameter": "30", "width": "2.5", "depth": "1.5", "lean": "45", "corner": "0.4",
}  # fmt: skip


def collar(**values: str) -> Job:
    """A shaft with a shoulder, and a groove into its corner."""
    turned = Step(id="turn", cycle="turn", values={"shape": "contour", "contour": "shaft", "tool": "1"})
    return lathe_job(turned, Step(id="groove", cycle="groove", values={**UNDERCUT, **values}), contours=(COLLAR,))


FALLING = lines("falling", 40, (-10, 40), (-14, 32), (-30, 40))


def falling(compensation: str = "control") -> Job:
    """A contour that falls more steeply than the insert's back, offset by the control: only the moves show that it can't be."""
    values = {"shape": "contour", "contour": "falling", "tool": "1", "compensation": compensation}
    return lathe_job(Step(id="turn", cycle="turn", values=values), contours=(FALLING,))
