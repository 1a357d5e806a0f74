"""What the cycles of a lathe share: speed and feed per turn, allowances, and how a tool is judged against its place."""

from __future__ import annotations

import math

from msgspec.structs import replace

from bastler.core.fields import Field, Suggest, Suggestion, Values
from bastler.core.geometry.halfsection import polygons
from bastler.core.moves import Curve, CuttingSpeed, Feed, Move, Rapid, TurnCycle
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, said, show
from bastler.core.tooling.cuttingdata import coating_share, tables
from bastler.core.tooling.owndata import own_for, said_own
from bastler.core.tooling.tools import Tool

POSITIVE = Limits(0, 100_000, low_open=True)
NOT_NEGATIVE = Limits(0, 10_000)
LONG = Limits(-10_000, 10_000)
SIZE = Limits(0, 10_000, low_open=True)
SPEED_SHARE = {
    "turning-tool": 1.2,
    "boring-tool": 0.95,
    "grooving-tool": 0.75,
    "parting-tool": 0.65,
    "threading-tool": 0.7,
}
"""Surface speed as a share of the material table's milling speed: rules of thumb of the trade."""
FEED_SHARE_OF_NOSE = 0.5
LARGEST_FEED_MM = 0.4
USUAL_RT_UM = 10.0
ROUGH, FINISH = 1.0, 2.0
"""Stand-ins for the feeds while ways are planned."""


def surface_speed(tool: Tool, w: Work) -> float:
    """Surface speed to start with, m/min: one's own, else the table's."""
    own = own_for(tool, w.material)
    if own is not None and own.speed is not None:
        return float(own.speed)
    return w.material.vc_mill[tool.material] * SPEED_SHARE.get(tool.kind, 0.7) * coating_share(tool)


def table_feed(tool: Tool, w: Work) -> float:
    """Feed per turn of the table (``data/cutting.toml``), mm: of blades a share of their width."""
    tables_, group = tables(), w.material.group
    if tool.kind in tables_["share"]:
        return float(tables_["share"][tool.kind][group]) * tool.width
    return float(tables_["turn"].get(tool.kind, tables_["turn"]["turning-tool"])[group])


def turning_feed(tool: Tool, w: Work) -> float:
    """Feed per turn to rough with, mm: one's own, else the table's, at most half the nose radius."""
    own = own_for(tool, w.material)
    if own is not None and own.feed is not None:
        return float(own.feed)
    f = table_feed(tool, w)
    return f if tool.width > 0 else min(f, FEED_SHARE_OF_NOSE * max(tool.corner_radius, 0.1))


def _suggest_speed(v: Values, w: Work) -> Suggestion:
    vc = surface_speed(v.tool, w)
    own = own_for(v.tool, w.material)
    if own is not None and own.speed is not None:
        return Suggestion(show(vc), said_own(v.tool, w.material))
    return Suggestion(show(round(vc), digits=0), f"{v.tool.material} in {w.material.name}")


def _suggest_by(_: Values, w: Work) -> Suggestion:
    if _fixed_speed(w):
        return Suggestion("rev", _fixed_speed(w))
    return Suggestion("surface", "the same on every diameter")


def _fixed_speed(w: Work) -> str:
    """Why the spindle can't follow the diameter; nothing if it can."""
    if w.machine.spindle.by_hand:
        return "its speed is set by hand"
    return "" if w.machine.spindle.encoder else "it has no spindle encoder"


def _suggest_rev(v: Values, w: Work) -> Suggestion:
    vc, radius = surface_speed(v.tool, w), max(w.lathe.stock.bounds[3], 1.0) if not w.lathe.stock.is_empty else 10.0
    n = min(1000 * vc / (2 * math.pi * radius), w.lathe.limit)
    return Suggestion(
        show(max(round(n, -1), 10.0), digits=0), f"{said(vc, Kind.CUTTING_SPEED, w.units, 0)} at the stock's diameter"
    )


def suggest_table_feed(v: Values, w: Work) -> Suggestion:
    tool, f = v.tool, turning_feed(v.tool, w)
    own = own_for(tool, w.material)
    if own is not None and own.feed is not None:
        return Suggestion(show(f), said_own(tool, w.material))
    if tool.width > 0:
        return Suggestion(show(round(f, 3)), f"by the blade's width, in {w.material.name}")
    if f < table_feed(tool, w) - 1e-9:
        return Suggestion(show(round(f, 2)), f"by the nose radius {show(tool.corner_radius)}")
    return Suggestion(show(round(f, 2)), f"usual in {w.material.name}")


def roughness(feed: float, nose: float) -> float:
    """Rt in µm that a nose of a radius leaves at a feed per turn: f² / 8r."""
    return 1000 * feed * feed / (8 * max(nose, 1e-6))


def feed_for(rt: float, nose: float) -> float:
    """Feed per turn that leaves Rt µm: √(8 r Rt)."""
    return math.sqrt(8 * nose * rt / 1000)


def _suggest_finish(v: Values, w: Work) -> Suggestion:
    nose = max(v.tool.corner_radius, 0.05)
    f = feed_for(v.get("roughness") or USUAL_RT_UM, nose)
    return Suggestion(
        show(round(min(f, LARGEST_FEED_MM), 3)),
        f"leaves Rt {show(roughness(min(f, LARGEST_FEED_MM), nose), digits=1)} µm",
    )


SPEED_FIELDS: tuple[Field, ...] = (
    Field("speed_by", "Speed given as", "Cut", Kind.CHOICE, "Is the cutting speed constant, or the spindle speed?", suggest=_suggest_by,
          choices=(("surface", "Cutting speed"), ("rev", "Spindle speed"))),
    Field("cutting_speed", "Cutting speed", "Cut", Kind.CUTTING_SPEED, "What is the cutting speed?", suggest=_suggest_speed, limits=POSITIVE,
          shown=lambda v: bool(v.speed_by == "surface")),
    Field("speed_limit", "Speed limit", "Cut", Kind.SPINDLE, "What is the highest spindle speed in this step?", suggest=lambda _, w: Suggestion(show(w.lathe.limit, digits=0), "the setup's limit"), limits=POSITIVE,
          shown=lambda v: bool(v.speed_by == "surface")),
    Field("speed", "Spindle speed", "Cut", Kind.SPINDLE, "What is the spindle speed?", suggest=_suggest_rev, limits=POSITIVE,
          shown=lambda v: bool(v.speed_by == "rev")),
)  # fmt: skip


def feed_field(
    key: str = "feed",
    label: str = "Feed per turn",
    question: str = "How far does the tool feed per turn?",
    suggest: Suggest = suggest_table_feed,
) -> Field:
    """Feed per turn, suggested from the tool."""
    return Field(key, label, "Cut", Kind.FEED_PER_REV, question, suggest=suggest, limits=Limits(0, 10, low_open=True))


FINISH_FEED = Field("feed_finish", "Feed to finish", "Cut", Kind.FEED_PER_REV, "How far does it feed per turn on the finishing pass?", suggest=_suggest_finish, limits=Limits(0, 10, low_open=True),
                    shown=lambda v: v.get("work", "both") != "rough")  # fmt: skip
ROUGHNESS = Field("roughness", "Roughness Rt, µm", "Cut", Kind.NUMBER, "How rough may the surface be (Rt in µm; the feed follows from it)?", optional=True, limits=Limits(0, 500, low_open=True),
                  shown=lambda v: v.get("work", "both") != "rough")  # fmt: skip


WRITTEN = Field("written", "Written as", "Cut", Kind.CHOICE, "Is every move written into the program, or a cycle of the control?", "moves",
                choices=(("moves", "Every move"), ("cycle", "A cycle of the control")), shown=lambda v: v.get("work", "both") == "both" and v.get("along", "axis") == "axis")  # fmt: skip


def start(v: Values) -> list[Move]:
    """The spindle as the step wants it."""
    if v.get("speed_by", "rev") == "surface":
        return [CuttingSpeed(v.cutting_speed, v.speed_limit)]
    return [CuttingSpeed(0.0, v.speed)]


def fed(moves: tuple[Move, ...], feeds: dict[float, float]) -> list[Move]:
    """Moves with their feeds put in: ways are planned once, whatever the feeds are."""

    def put(m: Move) -> Move:
        if isinstance(m, TurnCycle):
            profile = tuple(replace(p, feed=feeds[p.feed]) if not isinstance(p, Rapid) else p for p in m.profile)
            return replace(m, feed=feeds[m.feed], profile=profile)
        return replace(m, feed=feeds[m.feed]) if isinstance(m, Feed | Curve) else m

    return [put(m) for m in moves]


def speed_problems(v: Values, w: Work) -> list[Problem]:
    """Speeds that the machine or the setup doesn't allow."""
    found = []
    if v.get("speed_by", "rev") == "surface" and (why := _fixed_speed(w)):
        text = f"{w.machine.name} can't change its speed with the diameter: {why}. Choose “Spindle speed”."
        found.append(Problem("speed_by", text))
    speed = v.get("speed") if v.get("speed_by", "rev") == "rev" else v.get("speed_limit")
    key = "speed" if v.get("speed_by", "rev") == "rev" else "speed_limit"
    if speed and speed > w.machine.spindle.highest:
        found.append(
            Problem(
                key,
                f"{w.machine.name} turns {w.machine.spindle.highest:g}/min at most; {speed:g} is more.",
                blocks=False,
            )
        )
    if speed and key == "speed_limit" and speed > w.lathe.limit:
        found.append(Problem(key, f"The setup allows {w.lathe.limit:g}/min at most; {speed:g} is more.", blocks=False))
    return found


def holding_in_the_way(w: Work) -> str:
    """That what holds the stock is in the way, and where, as a sentence."""
    front = w.lathe.stock.bounds[2] if not w.lathe.stock.is_empty else math.inf
    ends = [float(shape.bounds[2]) for shape in polygons(w.lathe.fixed)]
    behind = max((z for z in ends if z < front), default=-math.inf)
    where = f", from Z {show(behind, units=w.units)} on," if all(z < front for z in ends) else " (chuck or tailstock)"
    return f"What holds the stock{where} is in the way. Let it stand out further, or stop before that."


def too_short(tool: Tool, w: Work, z: float) -> str:
    """That a bar stands out less than its way down to a Z is deep, as a sentence; nothing if it doesn't."""
    deep = float(w.lathe.stock.bounds[2]) - z if not w.lathe.stock.is_empty else 0.0
    if tool.in_plane.reach != "in" or deep <= tool.stick_out:
        return ""
    out, far = (show(n, units=w.units) for n in (tool.stick_out, deep))
    return f"Tool {tool.number} stands out {out}, and goes {far} deep into the bore: its holder would touch. Clamp it longer, or take a longer one."


def no_way(tool: Tool, w: Work, z: float, text: str) -> Problem:
    """That a tool finds no way down to a Z: with ``text``, or that it is too short for that."""
    return Problem("tool", too_short(tool, w, z) or text)


def suggest_kind(*kinds: str, points: str = "") -> Suggest:
    """The first tool of the kinds that points the right way."""

    def suggest(v: Values, w: Work) -> Suggestion | None:
        fitting = [
            t
            for t in w.tools.values()
            if t.kind in kinds and (not points or t.in_plane.reach == points) and t.in_plane.tip[0] <= 0
        ]
        return Suggestion(str(fitting[0].number), f"{fitting[0].name}") if fitting else None

    return suggest
