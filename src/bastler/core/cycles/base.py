"""What a cycle is.

A cycle file in ``mill/`` builds one :class:`Cycle` named ``CYCLE`` and nothing else has to know it:
form, drawing, file format, plan, check and the closed-loop test follow from this declaration.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from msgspec import Struct

from bastler.core.fields import Answers, Field, Suggestion, Unanswered, Values, read
from bastler.core.geometry.placement import Along, Placement
from bastler.core.geometry.shapes import Removal
from bastler.core.geometry.surface import On
from bastler.core.marks import Mark
from bastler.core.moves import Move
from bastler.core.planning.edgefeed import Metal
from bastler.core.planning.work import Cleared, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, said, show
from bastler.core.tooling.coolant import WAYS, suggested
from bastler.core.tooling.feeds import FULL_WIDTH_SHARE, PLUNGE_SHARE, suggest_feed, suggest_milling_feed, suggest_speed
from bastler.core.tooling.power import available, drilling_power, milling_power, times_power

LONG = Limits(-10_000, 10_000)
SIZE = Limits(0, 10_000, low_open=True)
NOT_NEGATIVE = Limits(0, 10_000)
PASS = Limits(0.01, 10_000)
"""How deep or wide a pass is: less is nothing that a machine makes, and more passes than anybody means."""
MOST_PASSES = 200_000
FEED_LIMITS = Limits(0, 100_000, low_open=True)
UNUSUAL_KEYS = ("speed", "feed", "feed_full", "feed_down", "feed_finish", "feed_floor")
UNUSUAL_SHARE = 3.0
"""A typed speed or feed this many times off the suggestion is told."""


EVERY_SURFACE: tuple[On, ...] = ("end", "flat", "round")
AND_UNROLLED: tuple[On, ...] = (*EVERY_SURFACE, "unrolled")
"""For what keeps its sense when it is wound round a bar."""


class Pick(Protocol):
    """Draws sample answers for the closed-loop test."""

    def number(self, low: float, high: float) -> float:
        """A number between, rounded to 0.001."""
        ...

    def choice(self, options: tuple[str, ...]) -> str:
        """One of the options."""
        ...


Engagement = Callable[[Values], tuple[float, float]]
"""Depth and width of a cut in mm, from a step's answers."""


class SubStep(Struct, frozen=True):
    """A single step that a recipe is made of; ``field`` is the recipe's field where its problems are shown."""

    cycle: str
    name: str
    field: str
    values: dict[str, str]


def no_removals(_: Values, __: Work) -> tuple[Removal, ...]:
    """Of cycles that cut nothing themselves, and of those of a lathe, which have ``clears``."""
    return ()


class Cycle(Struct, frozen=True):
    """One kind of step.

    ``clears``: on a lathe, the finished shape instead of ``removals``. ``family``: the folder that it lies in.
    ``engagement``: depth and width of a milling cut, for the power that it takes.
    ``metal``: on which side of its way the tool cuts, so that feeds on arcs are its edge's.
    ``expand`` makes a recipe of it: the single steps that do the work; ``plan`` and ``removals`` are theirs then.
    ``ways``: problems that only the moves show, as a tool that finds no way; asked where moves are planned.
    ``on_surfaces``: those of a turned part that driven tools of a lathe do it on. ``renews``: after it the stock is as it was before the first step.
    ``repeat`` makes a repetition of it: where the steps of its answer ``steps`` are done again.

    ``problems`` says what is wrong with complete answers; ``removals`` declares the finished shape;
    ``plan`` gives the moves, starting anywhere above clearance height and ending at it;
    ``marks`` draws the fields (missing ones have their stand-in);
    ``rank`` orders the list of cycles as work goes; ``title`` names a step in a few words, lengths in the job's units; ``sample`` draws answers that can be cut in ``Work``,
    ``sample_before`` the steps that must come before them (a drilled hole for a tap);
    ``pictogram`` is a drawing in a 0..1 square: a word and its numbers, painted by the step card.
    """

    id: str
    rank: int
    name: str
    words: tuple[str, ...]
    summary: str
    tool_kinds: tuple[str, ...]
    fields: tuple[Field, ...]
    pictogram: tuple[tuple[str, float, float, float, float], ...]
    problems: Callable[[Values, Work], list[Problem]]
    plan: Callable[[Values, Work], list[Move]]
    marks: Callable[[Values, Work], list[Mark]]
    title: Callable[[Values, Units], str]
    sample: Callable[[Pick, Work], dict[str, str]]
    removals: Callable[[Values, Work], tuple[Removal, ...]] = no_removals
    expand: Callable[[Values, Work], tuple[SubStep, ...]] | None = None
    repeat: Callable[[Values, Work], list[Placement] | list[Along]] | None = None
    sample_before: Callable[[dict[str, str], Work], tuple[SubStep, ...]] | None = None
    engagement: Engagement | None = None
    metal: Callable[[Values], Metal] | None = None
    clears: Callable[[Values, Work], tuple[Cleared, ...]] | None = None
    ways: Callable[[Values, Work], list[Problem]] | None = None
    renews: bool = False
    on_surfaces: tuple[On, ...] = ()
    family: str = "mill"

    def field(self, key: str) -> Field:
        """The declaration of one field."""
        return next(f for f in self.fields if f.key == key)

    def answers(self, typed: dict[str, str], work: Work) -> Answers:
        """Typed answers read, suggested and judged."""
        found = read(self.fields, typed, work, work.units, self.tool_kinds)
        if found.missing or found.problems:
            return found
        problems = (
            *self.problems(found.values, work),
            *self._power_problem(found.values, work),
            *coolant_problem(found.values, work),
            *self._unusual(found, typed, work),
        )
        return found.with_problems(problems)

    def _unusual(self, found: Answers, typed: dict[str, str], w: Work) -> list[Problem]:
        """Typed speeds and feeds far from what tool and material suggest; flagged, never replaced."""
        told = []
        for key in UNUSUAL_KEYS:
            value, proposal = found.values.get(key), found.suggestions.get(key)
            if proposal is None or not typed.get(key, "").strip() or not value:
                continue
            usual = float(proposal.text)
            share = value / max(usual, 1e-9)
            if not 1 / UNUSUAL_SHARE <= share <= UNUSUAL_SHARE:
                kind = self.field(key).kind
                word = "more" if share > 1 else "less"
                text = f"{show(value, kind, w.units)} is much {word} than usual: {show(usual, kind, w.units)} ({proposal.reason})."
                told.append(Problem(key, text, blocks=False))
        return told

    def _power_problem(self, v: Values, w: Work) -> list[Problem]:
        share = self.power_share(v, w)
        if share is None or share <= 1.0:
            return []
        text = f"The cut needs {times_power(share)} at {show(v.speed, digits=0)} /min. Reduce depth, side step or feed."
        return [Problem("feed", text, blocks=False, finding="power")]

    def power_share(self, v: Values, w: Work) -> float | None:
        """Share of the spindle's power at this speed that the cut takes; ``None`` where it can't be said."""
        tool, speed, feed = v.get("tool"), v.get("speed"), v.get("feed")
        if tool is None or not speed or not feed:
            return None
        try:
            if self.engagement is not None:
                need = milling_power(tool, w.material, *self.engagement(v), speed, feed)
            elif tool.kind in ("drill", "insert-drill"):
                need = drilling_power(tool, w.material, speed, feed)
            else:
                return None
        except Unanswered:
            return None
        return need / max(available(w.machine, speed), 1e-9)

    def drawable(self, answers: Answers) -> Values:
        """The answers with stand-ins for what is missing, so that the drawing never waits."""
        wrong = {p.field for p in answers.problems}
        known = {
            f.key: answers.values.get(f.key, f.stand_in if f.key in (*answers.missing, *wrong) else None)
            for f in self.fields
        }
        return Values(known)


def speed_fields(
    *, full_width: bool = False, feed: bool = True, plunging: bool = False, engagement: Engagement | None = None
) -> tuple[Field, ...]:
    """Spindle speed and feed, suggested from tool and material.

    ``feed=False``: a tap's feed follows from its pitch; ``plunging``: a mill goes straight down;
    ``clears``: on a lathe, the finished shape instead of ``removals``. ``family``: the folder that it lies in.
    ``engagement``: depth and width of the cut, by which the feed is held to the spindle's power.
    """

    def suggest_rev(v: Values, w: Work) -> Suggestion:
        return suggest_speed(v.tool, w.material, w.machine, w.units)

    def suggest_rate(v: Values, w: Work) -> Suggestion:
        if engagement is not None:
            return suggest_milling_feed(v.tool, w.material, w.machine, v.speed, *engagement(v), w.units)
        return suggest_feed(v.tool, w.material, w.machine, v.speed, PLUNGE_SHARE if plunging else 1.0, w.units)

    def full(v: Values, _: Work) -> Suggestion:
        return Suggestion(f"{max(round(v.feed * FULL_WIDTH_SHARE), 1)}", _share_of_feed(FULL_WIDTH_SHARE))

    positive = Limits(0, 100_000, low_open=True)
    fields = [
        Field(
            "speed",
            "Spindle speed",
            "Cut",
            Kind.SPINDLE,
            "What is the spindle speed?",
            suggest=suggest_rev,
            limits=positive,
        )
    ]
    if feed:
        fields.append(
            Field(
                "feed", "Feed", "Cut", Kind.FEED, "How fast does the tool feed?", suggest=suggest_rate, limits=positive
            )
        )
    if full_width:
        question = "How fast does it feed where the full width of the tool is in metal?"
        fields.append(
            Field("feed_full", "Feed at full width", "Cut", Kind.FEED, question, suggest=full, limits=positive)
        )
    return tuple(fields)


def _share_of_feed(share: float) -> str:
    return f"{share * 100:.0f} % of the feed"


RETREAT = Field(
    "retreat", "Afterwards", "Entry", Kind.CHOICE, "How far up does the tool go when this step is done?", "clearance",
    choices=(("clearance", "To clearance"), ("top", "To the top")),
)  # fmt: skip
"""Every step that cuts has this field; the planner carries it out."""


def _suggest_coolant(v: Values, w: Work) -> Suggestion:
    return Suggestion(*suggested(v.tool, w.material, w.machine.coolants))


COOLANT = Field(
    "coolant", "Coolant", "Cut", Kind.CHOICE, "What cools the cut?", suggest=_suggest_coolant, choices=WAYS,
)  # fmt: skip
"""Every step that cuts with a tool of its own has this field; the writer carries it out."""


def coolant_problem(v: Values, w: Work) -> list[Problem]:
    """A way of cooling that the machine hasn't got."""
    way = v.get("coolant", "off")
    if way == "off" or way in w.machine.coolants:
        return []
    has = ", ".join(word.lower() for key, word in WAYS if key in w.machine.coolants) or "none"
    return [
        Problem("coolant", f"{w.machine.name} has no such coolant ({has}). Choose another, or add it to the machine.")
    ]


def feed_down_field() -> Field:
    """Feed of helix, ramp and plunge."""

    def down(v: Values, _: Work) -> Suggestion:
        return Suggestion(f"{max(round(v.feed * PLUNGE_SHARE), 1)}", _share_of_feed(PLUNGE_SHARE))

    return Field(
        "feed_down", "Feed downwards", "Entry", Kind.FEED, "How fast does it feed on the way down?", suggest=down,
        limits=Limits(0, 100_000, low_open=True),
    )  # fmt: skip


def suggest_top(_: Values, w: Work) -> Suggestion:
    """The top of a feature, unless something else is said."""
    return Suggestion(show(w.part.z1), "the top of the part")


def machine_problems(v: Values, w: Work) -> list[Problem]:
    """Spindle speed and feed against the machine, flagged, never replaced; and more passes than anybody means."""
    found = [too_many] if (too_many := _too_many(v, w)) else []
    speed, feed = v.get("speed"), v.get("feed")
    if speed is not None and not w.machine.spindle.lowest <= speed <= w.machine.spindle.highest:
        low, high = w.machine.spindle.lowest, w.machine.spindle.highest
        found.append(
            Problem(
                "speed",
                f"{w.machine.name} turns {low:g} to {high:g} /min; {speed:g} is outside. Change the speed.",
                blocks=False,
            )
        )
    if feed is not None and feed > w.machine.feed_limit:
        found.append(
            Problem(
                "feed",
                f"{said(feed, Kind.FEED, w.units)} is more than {w.machine.name} can feed: {said(w.machine.feed_limit, Kind.FEED, w.units)}.",
                blocks=False,
            )
        )
    return found


def _too_many(v: Values, w: Work) -> Problem | None:
    """Passes over the whole block, one beside and one below the other."""
    width, length, height = w.block.size
    deep, wide = v.get("depth_per_pass"), v.get("side_step")
    if not deep or not wide:
        return None
    count = height / deep * max(width, length) / wide
    if count <= MOST_PASSES:
        return None
    text = f"With {show(deep, units=w.units)} per pass and {show(wide, units=w.units)} beside it would take some {count:,.0f} passes. Give a larger depth or side step."
    return Problem("depth_per_pass", text.replace(",", " "))


def climbs(_: Values) -> Metal:
    """Metal on the right of the tool's way, for cycles that always climb."""
    return "right"


def no_problems(_: Values, __: Work) -> list[Problem]:
    """For cycles that can't be wrong once answered."""
    return []


def no_moves(_: Values, __: Work) -> list[Move]:
    """For recipes: their single steps move."""
    return []


def no_marks(_: Values, __: Work) -> list[Mark]:
    """For cycles that have no place on the drawing."""
    return []
