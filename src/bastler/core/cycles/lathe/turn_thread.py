"""Thread: outside or in a bore, on a cylinder or a taper, of one or several starts, cut in passes with a threading tool."""

from __future__ import annotations

import math
from collections.abc import Callable

import shapely

from bastler.core.cycles.base import Cycle, Pick
from bastler.core.cycles.lathefields import LONG, NOT_NEGATIVE, SIZE, no_way, surface_speed
from bastler.core.cycles.threading import (
    OUT_ANGLE_DEG,
    aside_of,
    by_cone,
    comes_in,
    cone_of,
    crest_of,
    ends_in_metal,
    inside,
    is_free,
    lead_of,
    over_pins,
    relief,
    room_in_relief,
    run_of,
    safe_radius,
    slope_of,
    towards_chuck,
)
from bastler.core.fields import Field, Suggest, Suggestion, Values
from bastler.core.geometry.halfsection import clipped
from bastler.core.marks import Distance, Mark
from bastler.core.moves import CuttingSpeed, Either, Move, Rapid, ThreadCut, ThreadCycle
from bastler.core.planning.lathe.threadpasses import THINNEST_MM, cuts, first_for
from bastler.core.planning.work import Cleared, Threaded, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, said, show
from bastler.core.threads.threadforms import ALIKE_SHARE, ANGLES, INNER_DEPTH, deeper_for, depth_for, root_width
from bastler.core.threads.threadsizes import Thread
from bastler.core.tooling.tools import Tool

PROFILES = (("metric", "Metric or unified, 60°"), ("pipe", "Pipe, 55°"), ("trapeze", "Trapezoidal, 30°"))
FORMS = {"pipe": "pipe", "trapezoidal": "trapeze"}
SAME_ANGLE_DEG = 0.5
SAME_PITCH_MM = 0.002
RUN_IN_TURNS = 2.0
FEED_SHARE = 0.9
RUN_OUT_SLACK_MM = 0.01


def _ends(v: Values) -> tuple[float, float]:
    return (v.start_z, v.end_z)


def _clears(v: Values, w: Work) -> tuple[Cleared, ...]:
    z0, z1 = _ends(v)
    r0 = crest_of(v)
    r1 = r0 + (z0 - z1) * slope_of(v)
    way = 1.0 if inside(v) else -1.0
    return (Cleared(shapely.Polygon(), "", Threaded((z0, r0), (z1, r1), way * v.depth, v.pitch, _title(v, w.units))),)


def _refused(v: Values, w: Work) -> Problem | None:
    """What makes all other questions idle."""
    tool = v.tool
    if tool.in_plane.reach != ("in" if inside(v) else "out"):
        text = f"Tool {tool.number} ({tool.name}) is not for threads {'in a bore' if inside(v) else 'outside'}. Take another."
        return Problem("tool", text)
    if not w.machine.spindle.encoder:
        text = f"{w.machine.name} has no spindle encoder: its feed can't follow the spindle's turns, so it cuts no threads. Choose another machine, or a tap in a floating holder."
        return Problem("tool", text)
    if v.end_z >= v.start_z:
        start = show(v.start_z, units=w.units)
        text = f"The thread's end lies nearer the chuck than its start: it must be below Z {start}."
        return Problem("end_z", text)
    return None


def _problems(v: Values, w: Work) -> list[Problem]:
    tool = v.tool

    def mm(value: float) -> str:
        return show(value, units=w.units)

    if (refused := _refused(v, w)) is not None:
        return [refused]
    found = _insert_problems(v, w)
    if v.depth > 1.5 * v.pitch:
        found.append(
            Problem("depth", f"A thread of pitch {mm(v.pitch)} is at most {mm(1.5 * v.pitch)} deep. Correct the depth.")
        )
    along = lead_of(v) * v.speed
    if along > w.machine.feed_limit:
        most = w.machine.feed_limit / lead_of(v)
        found.append(
            Problem(
                "speed",
                f"At {v.speed:g}/min the thread needs {said(along, Kind.FEED, w.units, 0)} along Z; {w.machine.name} feeds {said(w.machine.feed_limit, Kind.FEED, w.units, 0)}. Take at most {most:.0f}/min.",
            )
        )
    if v.run_in < RUN_IN_TURNS * lead_of(v) - 1e-6 and v.run_in < _needed(v, w):
        found.append(
            Problem(
                "run_in",
                f"At this speed the slide needs {mm(_needed(v, w))} to get up to the pitch. Begin further ahead, or turn slower.",
                blocks=False,
                finding="run-in",
            )
        )
    found += _end_problems(v, w)
    if not by_cone(v) and 0 < v.run_out < _needed(v, w) - RUN_OUT_SLACK_MM and towards_chuck(v):
        text = f"At this speed the slide needs {mm(_needed(v, w))} to come to rest; its relief gives {mm(v.run_out)}. Turn slower, or cut a wider relief."
        found.append(Problem("run_out", text, blocks=False, finding="run-out"))
    found += _metal_problems(v, w)
    if not any(p.blocks for p in found) and not towards_chuck(v) and not comes_in(v, w, run_of(v)[0] - aside_of(v)):
        found.append(
            Problem(
                "run_in",
                f"The tool runs away from the chuck here: it comes in at Z {mm(v.end_z - v.run_in)}, where there is metal. Cut a relief there before, or turn the tool upside down.",
            )
        )
    if not any(p.blocks for p in found) and not is_free(v, w):
        text = f"Tool {tool.number} finds no way along the thread and out of it without touching metal beside it, as a shoulder. End the thread sooner, turn a relief before, or take a slimmer tool."
        found.append(no_way(tool, w, v.end_z, text))
    return found


def _end_problems(v: Values, w: Work) -> list[Problem]:
    """Whether the tool gets out of the metal at the thread's end."""
    across = cone_of(v)[1]
    if by_cone(v) and across < v.depth - 1e-6:
        least = v.depth / math.tan(math.radians(v.out_angle))
        text = f"At this angle it is {show(across, units=w.units)} out at its end, and the thread is {show(v.depth, units=w.units)} deep. Give at least {show(math.ceil(least * 100) / 100, units=w.units)}."
        return [Problem("run_out", text)]
    if not by_cone(v) and ends_in_metal(v, w):
        text = "The thread ends in the full metal, and the tool is drawn out square at its whole depth. Let it run out at an angle, or turn a relief before."
        return [Problem("out", text, blocks=False, finding="run-out", remedy=("out", "cone"))]
    return []


def _insert_problems(v: Values, w: Work) -> list[Problem]:
    """Whether the insert has the form of the thread."""
    tool, wants = v.tool, ANGLES[v.profile]
    name = f"Tool {tool.number} ({tool.name})"

    fits = _suggest_tool(v, w)
    better = ("tool", fits.text) if fits is not None and fits.text != str(tool.number) else None

    def mm(value: float) -> str:
        return show(value, units=w.units, digits=3)

    if abs(tool.thread_angle - wants) > SAME_ANGLE_DEG:
        text = f"{name} cuts flanks of {show(tool.thread_angle)}°, this thread has {show(wants)}°. Take another insert."
        return [Problem("tool", text, remedy=better)]
    if tool.full_profile and abs(tool.pitch - v.pitch) > SAME_PITCH_MM:
        text = f"{name} has the full profile of pitch {mm(tool.pitch)} and cuts no other. Take an insert for {mm(v.pitch)}."
        return [Problem("tool", text, remedy=better)]
    if v.pitch > tool.pitch + SAME_PITCH_MM:
        return [Problem("pitch", f"{name} is for pitches up to {mm(tool.pitch)}. Take a larger insert.")]
    roots = root_width(v.profile, v.pitch, inside=inside(v))
    off = tool.point_flat - roots
    if off > ALIKE_SHARE * v.pitch or (v.profile == "trapeze" and off < -ALIKE_SHARE * v.pitch):
        word = "wide" if off > 0 else "narrow"
        text = f"The point of {name} is {mm(tool.point_flat)} wide, the roots of this thread {mm(roots)}: it cuts too {word}. Take an insert for this pitch."
        return [Problem("tool", text, blocks=False, finding="thread-form", remedy=better)]
    return []


def _needed(v: Values, w: Work) -> float:
    """Way that the slide takes to get up to speed, mm: v² / 2a."""
    speed = lead_of(v) * v.speed / 60
    return float(speed * speed / (2 * w.machine.acceleration[2]))


def _metal_problems(v: Values, w: Work) -> list[Problem]:
    """Whether the cylinder for the thread is there."""
    z0, z1 = _ends(v)
    band = clipped(w.lathe.stock, z1 + 0.05 * (z0 - z1), 0.0, z0 - 0.05 * (z0 - z1), 1e4)
    if band.is_empty:
        return [Problem("start_z", "There is no metal here. Check where the thread is.")]
    have = 2 * float(band.bounds[1] if inside(v) else band.bounds[3])
    want = 2 * max(crest_of(v), crest_of(v) + (z0 - z1) * slope_of(v)) if not inside(v) else 2 * crest_of(v)
    off = have - want
    if abs(off) > 0.3 * v.depth + 0.02:
        there = f"The {'bore' if inside(v) else 'outside'} is Ø{show(have, units=w.units)}; this thread needs Ø{show(want, units=w.units)}."
        return [
            Problem(
                "diameter",
                f"{there} Turn it to Ø{show(want, units=w.units)} first.",
                blocks=off * (-1 if inside(v) else 1) > v.depth,
            )
        ]
    return []


def _places(v: Values, w: Work) -> list[tuple[float, float, float]]:
    """For each pass: radius at its start, Z of its start, and of which start of the thread."""
    way = -1.0 if inside(v) else 1.0
    along = 1.0 if towards_chuck(v) else -1.0
    half, begin, turned = ANGLES[v.profile] / 2, run_of(v)[0], v.get("start_angle", 0.0)
    found = []
    for one in range(v.get("starts", 1)):
        for cut in cuts(v.depth, v.first_pass, half, v.infeed, shrinking=v.chips == "shrinking", spring=v.spring):
            found.append(
                (
                    crest_of(v) - way * cut.depth,
                    begin + along * cut.shift,
                    (turned + 360.0 * one / v.get("starts", 1)) % 360.0,
                )
            )
    return found


def _plan(v: Values, w: Work) -> list[Move]:
    front, safe = w.lathe.away[0] + 1.0, safe_radius(v, w)
    begin = run_of(v)[0]
    moves: list[Move] = [CuttingSpeed(0.0, v.speed)]
    if not inside(v):
        moves += [Rapid(w.lathe.away[1] + 1.0, None, front), Rapid(None, None, begin), Rapid(safe)]
    else:
        moves += [Rapid(safe, None, front), Rapid(None, None, begin)]
    passes = tuple(_passes(v, w))
    moves += [Either((_cycle(v),), passes)] if _as_cycle(v) else passes
    moves.append(Rapid(None, None, front))
    if not inside(v):
        moves.append(Rapid(w.lathe.away[1] + 1.0))
    return moves


def _passes(v: Values, w: Work) -> list[Move]:
    """Every pass of it."""
    safe, slope = safe_radius(v, w), slope_of(v)
    full = v.end_z if by_cone(v) else run_of(v)[1]
    moves: list[Move] = []
    for r, z, start in _places(v, w):
        r_start = r - (z - v.start_z) * slope
        moves += [
            Rapid(None, None, z),
            Rapid(r_start),
            ThreadCut(r_start + (z - full) * slope if slope else None, full, lead_of(v), start),
            *_out(v, r_start + (z - full) * slope, safe),
            Rapid(safe),
        ]
    return moves


def _out(v: Values, radius: float, safe: float) -> list[Move]:
    """Out of the metal at an angle, still in step with the spindle, no farther than it goes back at."""
    along, across = cone_of(v)
    if not along:
        return []
    share = min(abs(safe - radius) / across, 1.0)
    out = radius + share * (-across if inside(v) else across)
    # A thread's pitch counts along the longer axis; along Z it stays the same.
    return [ThreadCut(out, v.end_z - share * along, lead_of(v) * max(across / along, 1.0))]


def _cycle_fits(v: Values) -> bool:
    """Whether a control's cycle can cut it so: one start from no angle, passes of equal area straight in or along a flank."""
    return bool(
        v.get("starts", 1) == 1
        and not v.get("start_angle", 0.0)
        and v.get("infeed", "flank") != "both"
        and v.get("chips", "shrinking") == "shrinking"
        and not (by_cone(v) and v.get("out_angle", OUT_ANGLE_DEG) != OUT_ANGLE_DEG)
    )


def _as_cycle(v: Values) -> bool:
    return bool(v.get("written", "moves") == "cycle") and _cycle_fits(v)


def _cycle(v: Values) -> ThreadCycle:
    """All passes as one cycle of the control."""
    way = 1.0 if inside(v) else -1.0
    begin, end = run_of(v)
    root = crest_of(v) + way * v.depth - (end - v.start_z) * slope_of(v)
    angle = 0.0 if v.infeed == "radial" else ANGLES[v.profile]
    return ThreadCycle(
        root,
        end,
        v.depth,
        v.first_pass,
        THINNEST_MM,
        v.spring + 1,
        angle,
        (end - begin) * slope_of(v),
        lead_of(v),
        cone_of(v)[0],
    )


def _marks(v: Values, w: Work) -> list[Mark]:
    z0, z1, r = v.get("start_z", 0.0), v.get("end_z", -20.0), v.get("diameter", 20.0) / 2
    return [
        Distance("end_z", (z0, r), (z1, r), 0.0, "section"),
        Distance("diameter", ((z0 + z1) / 2, -r), ((z0 + z1) / 2, r), 90.0, "section"),
    ]


def _title(v: Values, units: Units) -> str:
    named = v.get("thread")
    hand = " LH" if v.get("hand") == "left" else ""
    if named is not None:
        return f"{named.name}{hand}"
    word = "Tr " if v.get("profile") == "trapeze" else ""
    return f"{word}{show(v.get('diameter', 0.0), units=units)} × {show(v.get('pitch', 0.0), units=units)}{hand}"


def _named(of: Callable[[Thread], str], unnamed: str = "") -> Suggest:
    """What a thread's name says, else the usual value."""

    def suggest(v: Values, _: Work) -> Suggestion | None:
        named = v.get("thread")
        if named is not None:
            return Suggestion(of(named), f"{named.name} by its standard")
        return Suggestion(unnamed, "the usual one") if unnamed else None

    return suggest


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    reach = "in" if inside(v) else "out"

    def fits(t: Tool) -> bool:
        as_fine = abs(t.pitch - v.pitch) < SAME_PITCH_MM if t.full_profile else t.pitch >= v.pitch - SAME_PITCH_MM
        return as_fine and abs(t.thread_angle - ANGLES[v.profile]) < SAME_ANGLE_DEG

    tools = [t for t in w.tools.values() if t.kind == "threading-tool" and t.in_plane.reach == reach and fits(t)]
    best = min(tools, key=lambda t: (not t.full_profile, t.pitch), default=None)
    return Suggestion(str(best.number), best.name) if best else None


def _suggest_depth(v: Values, _: Work) -> Suggestion:
    source = {"metric": "ISO 68-1", "pipe": "ISO 228-1", "trapeze": "ISO 2901"}[v.profile]
    reason = f"by {source}"
    if not inside(v) and v.get("diameter"):
        pin, size = over_pins(v)
        reason += f"; over pins of {show(pin, digits=3)} it measures {show(size, digits=3)} mm"
    depth, tool = depth_for(v.profile, v.pitch, inside=inside(v)), v.get("tool")
    deeper = (
        deeper_for(v.profile, v.pitch, tool.point_flat, inside=inside(v)) if tool and v.profile != "trapeze" else 0.0
    )
    if deeper > 0:
        reason = (
            f"{show(deeper, digits=3)} deeper than {source}, for a point of {show(tool.point_flat, digits=3)}"
            + reason.removeprefix(f"by {source}")
        )
    return Suggestion(show(depth + deeper, digits=3), reason)


def _suggest_first(v: Values, _: Work) -> Suggestion:
    first = first_for(v.depth, v.pitch)
    if v.get("chips", "shrinking") == "even":
        first = v.depth / max(math.ceil((v.depth / first) ** 2 - 1e-6), 1)
    passes = len(cuts(v.depth, first, 30.0, "radial", shrinking=v.get("chips", "shrinking") == "shrinking", spring=0))
    return Suggestion(show(first, digits=3), f"{passes} passes, as usual for this pitch")


def _suggest_speed(v: Values, w: Work) -> Suggestion:
    n = 1000 * surface_speed(v.tool, w) / (math.pi * v.diameter)
    most = min(FEED_SHARE * w.machine.feed_limit / lead_of(v), _stops_in_relief(v, w))
    speed = min(n, most, w.lathe.limit)
    tens = 10 * math.floor(speed / 10)
    return Suggestion(
        show(max(tens, 10.0), digits=0),
        "held to what the slide can follow" if speed == most else "by cutting speed",
    )


def _stops_in_relief(v: Values, w: Work) -> float:
    """Turns per minute at which the slide comes to rest within the relief behind the thread: v = √(2a s)."""
    room = room_in_relief(v, w, lead_of(v)) if towards_chuck(v) else None
    if not room:
        return math.inf
    return 60 / lead_of(v) * math.sqrt(2 * w.machine.acceleration[2] * room)


def _suggest_end(v: Values, w: Work) -> Suggestion | None:
    found = relief(v, w)
    return Suggestion(show(found[0], digits=3), "where its relief begins") if found else None


def _suggest_out(v: Values, w: Work) -> Suggestion:
    if ends_in_metal(v, w):
        return Suggestion("cone", "there is no relief at its end")
    return Suggestion("straight", "into its relief" if relief(v, w) else "it ends in the open")


def _suggest_run_out(v: Values, w: Work) -> Suggestion:
    if by_cone(v):
        least = math.ceil(100 * v.depth / math.tan(math.radians(v.out_angle))) / 100
        return Suggestion(show(max(lead_of(v), least), digits=3), "one pitch")
    room = room_in_relief(v, w, lead_of(v)) if towards_chuck(v) else None
    if room is None:
        return Suggestion("0", "no relief is found behind it" if towards_chuck(v) else "it ends in the open")
    return Suggestion(show(room, digits=2), "into its relief")


def _suggest_run_in(v: Values, w: Work) -> Suggestion:
    wanted = round(max(RUN_IN_TURNS * lead_of(v), _needed(v, w)), 1)
    room = None if towards_chuck(v) else room_in_relief(v, w, wanted)
    if room is not None and room < wanted:
        return Suggestion(show(room, digits=2), "as far as its relief lets it")
    return Suggestion(show(wanted), "to get up to the pitch")


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    _, low, z1, top = w.lathe.stock.bounds
    inside = low > 5 and pick.choice(("no", "yes")) == "yes"
    pitch = pick.number(0.8, 2.0 if inside else 3.0)
    typed = {
        "where": "inside" if inside else "outside", "profile": "metric", "pitch": str(pitch), "start_z": str(z1), "end_z": str(pick.number(-30.0, -8.0)),
        "infeed": pick.choice(("radial", "flank", "both")), "chips": pick.choice(("shrinking", "even")), "spring": pick.choice(("0", "1")),
        "starts": pick.choice(("1", "2")), "written": pick.choice(("moves", "cycle")), "first_pass": str(pick.number(0.15, 0.4)),
    }  # fmt: skip
    return {**typed, "diameter": str(2 * low + 2 * INNER_DEPTH * pitch if inside else 2 * top)}


CYCLE = Cycle(
    id="turn_thread",
    rank=50,
    name="Thread",
    words=("thread", "screw", "metric", "trapezoidal", "pipe", "unified"),
    summary="Cut a thread outside or in a bore",
    tool_kinds=("threading-tool",),
    fields=(
        Field("where", "Where", "Place", Kind.CHOICE, "Is this on the outside or in a bore?", "outside", choices=(("outside", "Outside"), ("inside", "In a bore"))),
        Field("thread", "Thread", "Size", Kind.THREAD, "What thread is it by name (M24x2, G 1/2, Tr 24x5)?", optional=True),
        Field("profile", "Profile", "Size", Kind.CHOICE, "What profile does the thread have?", suggest=_named(lambda t: FORMS.get(t.family, "metric"), "metric"), choices=PROFILES),
        Field("diameter", "Outer diameter", "Size", Kind.LENGTH, "What is the outer diameter of the thread (in a bore: at its roots)?", suggest=_named(lambda t: show(t.major)), limits=SIZE, stand_in=20.0),
        Field("pitch", "Pitch", "Size", Kind.LENGTH, "What is the pitch of the thread?", suggest=_named(lambda t: show(t.pitch, digits=5)), limits=Limits(0, 50, low_open=True)),
        Field("starts", "Starts", "Size", Kind.COUNT, "How many starts does it have?", suggest=_named(lambda t: str(t.starts), "1"), limits=Limits(1, 12)),
        Field("hand", "Hand", "Size", Kind.CHOICE, "Is it a right-hand or a left-hand thread?", suggest=_named(lambda t: "left" if t.left else "right", "right"), choices=(("right", "Right"), ("left", "Left"))),
        Field("start_z", "Starts at Z", "Place", Kind.LENGTH, "At what Z does the thread begin?", "0", LONG),
        Field("taper", "Taper angle", "Size", Kind.ANGLE, "How far does each side lean (0: a cylinder; 1.7899 for 1:16)?", "0", Limits(0, 45)),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which tool is used?", suggest=_suggest_tool),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep is the thread, on the radius?", suggest=_suggest_depth, limits=SIZE),
        Field("end_z", "Ends at Z", "Place", Kind.LENGTH, "At what Z does the full thread end?", suggest=_suggest_end, limits=LONG, stand_in=-20.0),
        Field("infeed", "Infeed", "Cut", Kind.CHOICE, "From which side does each pass come in?", "flank",
              choices=(("radial", "Straight in"), ("flank", "Along a flank"), ("both", "Along both flanks in turn"))),
        Field("chips", "Chips", "Cut", Kind.CHOICE, "Does each pass remove the same area, or is each equally deep?", "shrinking",
              choices=(("shrinking", "Equal area"), ("even", "Equal depth"))),
        Field("first_pass", "First pass", "Cut", Kind.LENGTH, "How deep is the first pass?", suggest=_suggest_first, limits=SIZE),
        Field("spring", "Spring passes", "Cut", Kind.COUNT, "How many passes repeat the last one?", "1", Limits(0, 20)),
        Field("speed", "Spindle speed", "Cut", Kind.SPINDLE, "What is the spindle speed?", suggest=_suggest_speed, limits=Limits(0, 100_000, low_open=True)),
        Field("run_in", "Run-in", "Entry", Kind.LENGTH, "How far ahead of the thread does the tool begin?", suggest=_suggest_run_in, limits=NOT_NEGATIVE),
        Field("out", "At its end", "Entry", Kind.CHOICE, "How does the tool leave the metal at the thread's end?", suggest=_suggest_out,
              choices=(("straight", "Straight on"), ("cone", "Out at an angle"))),
        Field("out_angle", "Run-out angle", "Entry", Kind.ANGLE, "At what angle does it run out of the metal?", "45", Limits(15, 75), shown=by_cone),
        Field("run_out", "Run-out", "Entry", Kind.LENGTH, "How far past the full thread's end does the tool run?", suggest=_suggest_run_out, limits=NOT_NEGATIVE),
        Field("start_angle", "Start angle", "Entry", Kind.ANGLE, "At what spindle angle does it start (to meet a thread that is there already)?", "0", Limits(0, 360)),
        Field("written", "Written as", "Entry", Kind.CHOICE, "Is every pass written into the program, or a cycle of the control?", "moves",
              choices=(("moves", "Every pass"), ("cycle", "A cycle of the control")), shown=_cycle_fits),
    ),
    pictogram=(("frame", 0.1, 0.3, 0.8, 0.4), ("line", 0.2, 0.7, 0.1, -0.4), ("line", 0.4, 0.7, 0.1, -0.4), ("line", 0.6, 0.7, 0.1, -0.4)),
    problems=_problems,
    clears=_clears,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
)  # fmt: skip
