"""Feeds of milling cycles beside the plain one: at full width, in air, at walls and floor; each suggested for the cut that is made with it."""

from __future__ import annotations

from collections.abc import Callable

from bastler.core.cycles.base import FEED_LIMITS
from bastler.core.fields import Field, Suggest, Suggestion, Values
from bastler.core.planning.work import Work
from bastler.core.quantities import Kind, show
from bastler.core.tooling.cutting import Cut, cut_at, slot_depth
from bastler.core.tooling.feeds import said_feed

Shown = Callable[[Values], bool]
LEAST_SHARE = 0.02
"""What a finishing pass takes at least, as a share of the diameter: its feed stays sensible where nothing is left."""
SHALLOWEST_MM = 0.05


def always(_: Values) -> bool:
    """For fields that every answer leaves shown."""
    return True


def _field(key: str, label: str, question: str, suggest: Suggest, shown: Shown) -> Field:
    return Field(key, label, "Cut", Kind.FEED, question, suggest=suggest, limits=FEED_LIMITS, shown=shown)


def rough_feed(shown: Shown = always) -> Field:
    """The feed of the pass that takes most: depth by side step."""

    def suggest(v: Values, w: Work) -> Suggestion:
        return said_feed(cut_at(v.tool, w.material, w.machine, v.speed, v.depth_per_pass, v.side_step), v.tool, w)

    return _field("feed", "Feed", "How fast does the tool feed?", suggest, shown)


def full_cut(v: Values, w: Work) -> Cut:
    """The cut with all of the tool in metal, at the depth of a pass: no more force than the table's slot."""
    share = min(slot_depth(v.tool, w.material) / v.depth_per_pass, 1.0)
    return cut_at(v.tool, w.material, w.machine, v.speed, v.depth_per_pass, v.tool.diameter, share)


def full_feed(shown: Shown) -> Field:
    """Where the tool is wrapped."""

    def suggest(v: Values, w: Work) -> Suggestion:
        return said_feed(full_cut(v, w), v.tool, w, "at full width")

    question = "How fast does it feed where the full width of the tool is in metal?"
    return _field("feed_full", "Feed at full width", question, suggest, shown)


def air_feed(shown: Shown) -> Field:
    """Between cuts, staying down."""

    def suggest(_: Values, w: Work) -> Suggestion:
        return Suggestion(show(w.machine.feed_limit, digits=0), f"as fast as {w.machine.name} feeds")

    question = "How fast does it feed through space that is clear, to where the next cut begins?"
    return _field("feed_air", "Feed in air", question, suggest, shown)


def by_load(shown: Shown) -> Field:
    """Whether the feed follows the load, or is the same all along."""
    question = (
        "Does it feed faster where less of the tool is in metal than the side step asks, and slower where more is?"
    )
    return Field("by_load", "Feed by load", "Cut", Kind.FLAG, question, "yes", shown=shown)


def walls_feed(shown: Shown) -> Field:
    """The pass that finishes the walls, at their whole depth."""

    def suggest(v: Values, w: Work) -> Suggestion:
        deep = min(float(v.depth), float(v.tool.flute_length))
        wide = max(float(v.get("leave_walls", 0.0)), LEAST_SHARE * v.tool.diameter)
        return said_feed(
            cut_at(v.tool, w.material, w.machine, v.speed, deep, wide), v.tool, w, "for the thin chip at the wall"
        )

    return _field("feed_finish", "Feed at walls", "How fast does it feed when it finishes the walls?", suggest, shown)


def floor_feed(step: Callable[[Values], float], shown: Shown) -> Field:
    """The pass that finishes the floor, its loops ``step`` apart."""

    def suggest(v: Values, w: Work) -> Suggestion:
        deep = max(float(v.get("leave_floor", 0.0)), SHALLOWEST_MM)
        return said_feed(
            cut_at(v.tool, w.material, w.machine, v.speed, deep, step(v)), v.tool, w, "for so shallow a cut"
        )

    return _field("feed_floor", "Feed at floor", "How fast does it feed when it finishes the floor?", suggest, shown)
