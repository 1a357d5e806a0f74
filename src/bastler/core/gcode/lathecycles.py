"""Turning cycles of a program: single ones, and those that mean other blocks; carried out as the ways that they stand for.

*Two lines*: the first one only says how (G71 U2. R0.5), the second one does it (G71 P10 Q20 U0.4 W0.1 F0.3). *One line*: the
same words at once, the depth as D, places as I and K. P, Q and D without a decimal point are thousandths (in inches ten-thousandths).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Literal

from msgspec.structs import replace

from bastler.core.gcode.control import Control
from bastler.core.gcode.drivenholes import DrivenHoles
from bastler.core.gcode.motion import FEED, RAPID, THREAD, Builder
from bastler.core.geometry.roughingcycles import (
    Place,
    Way,
    faced,
    faced_once,
    grooved,
    is_steady,
    pecked,
    repeated,
    roughed,
    thread_passes,
    threaded_once,
    turned_once,
)
from bastler.core.problems import TooMany

Single = Literal["turn", "thread", "face"]
FINISH, ALONG, ACROSS, REPEAT, PECK, GROOVE, THREAD_CYCLE = 70, 71, 72, 73, 74, 75, 76
BLOCK_CYCLES = (FINISH, ALONG, ACROSS, REPEAT, PECK, GROOVE, THREAD_CYCLE)
LETTERS = {
    FINISH: "PQ", ALONG: "PQUWRDF", ACROSS: "PQUWRDF", REPEAT: "PQUWRDIKF", PECK: "XZUWIKRPQDF", GROOVE: "XZUWIKRPQDF",
    THREAD_CYCLE: "XZUWIKRPQDFA",
}  # fmt: skip
"""What each of them reads."""
COUNTS = {REPEAT: "RD"}
PROFILES = (ALONG, ACROSS, REPEAT)
USUAL_DEPTH_MM, USUAL_ESCAPE_MM = 1.0, 0.5
LEAST_DEPTH_MM = 1e-4
BEYOND_MM = 0.01
PROFILE_CHORD_MM = 0.0003
"""Roughing without an allowance runs along the finished surface: its chords may not cut into it noticeably."""


class LatheCycles(DrivenHoles):
    """A lathe that knows its cycles."""

    def __init__(self, data: bytes, control: Control, name: str = "The program") -> None:
        super().__init__(data, control, name)
        self.exact: set[str] = set()
        self._after = -1
        self._cycle: dict[str, float] = {}
        self._told_before: dict[int, dict[str, float]] = {}
        self._numbers: dict[int, list[int]] | None = None
        self._within = False

    def _line(self, index: int) -> None:
        raise NotImplementedError

    def _go(self, way: Way) -> None:
        """Carry out what a cycle stands for."""
        for how, (z, r) in way:
            target = [r, 0.0, z]
            self._straight(target, {"rapid": RAPID, "feed": FEED, "thread": THREAD}[how])

    def _at(self) -> Place:
        return (self.state.nose[2], self.state.nose[0])

    def _end_of(self, words: Mapping[str, float]) -> Place:
        x, _, z = self._place({k: v for k, v in words.items() if k in "XZUW"})
        return (z, x)

    # single cycles

    def _single(self, what: Single, words: dict[str, float]) -> None:
        """Once round; what isn't said again stays as it was."""
        s = self.state
        self.use("XZUWRF")
        self._cycle = {**self._cycle, **words}
        w, start, end = self._cycle, self._at(), self._end_of(self._cycle)
        taper = w.get("R", 0.0) * s.scale
        if what == "thread":
            self._in_step(w, lambda: self._go(threaded_once(start, end, taper)))
        else:
            self._go((turned_once if what == "turn" else faced_once)(start, end, taper))

    def _in_step(self, words: Mapping[str, float], run: Callable[[], None]) -> None:
        """Threads of a pitch F, with the feed as it was afterwards."""
        s = self.state
        pitch = self.pitch_of(words)
        if pitch is None:
            return
        before = (s.feed, s.feed_mode)
        s.feed, s.feed_mode = pitch, "rev"
        run()
        s.feed, s.feed_mode = before

    def _tap(self, words: dict[str, float]) -> None:
        """G84 on the axis: at rapid by R to the start plane (where it is, without R), down in step with the spindle to Z, P milliseconds there,
        turned round, and out the same way."""
        s = self.state
        if self._is_axis:
            self.tap_driven(words, across=False)
            return
        self.use("XZUWRFP")
        kept = self._cycle = {**self._cycle, **words}
        if "Z" not in kept and "W" not in kept:
            self.find("missing-word", "stop", "G84 has no depth. Add Z.")
            return
        start = [self._place({k: v for k, v in words.items() if k in "XU"})[0], 0.0, s.nose[2]]
        self._straight(start, RAPID)
        level, start = start, [start[0], 0.0, start[2] + kept.get("R", 0.0) * s.scale]
        self._straight(start, RAPID)
        bottom = self._place({k: v for k, v in kept.items() if k in "ZW"})
        pitch = (
            kept.get("F", 0.0) * s.scale if s.feed_mode == "rev" else kept.get("F", 0.0) * s.scale / max(s.speed, 1e-9)
        )
        if pitch <= 0:
            self.find("missing-word", "stop", "G84 has no F with the tap's pitch. Add it.")
            return
        before, mode, turning = s.feed, s.feed_mode, s.spindle
        s.feed, s.feed_mode = pitch, "rev"
        self._straight([start[0], 0.0, bottom[2]], THREAD)
        if kept.get("P", 0.0) > 0:
            self._dwell({"P": kept["P"]})
        s.spindle = -turning
        self._straight(start, THREAD)
        s.feed, s.feed_mode, s.spindle = before, mode, turning
        self._straight(level, RAPID)

    # cycles of blocks, grooves and threads

    def _block_cycle(self, code: int, words: dict[str, float]) -> None:
        """G70 to G76; a line that only says how is kept for the next one."""
        self.use(LETTERS[code])
        self.counted.update(COUNTS.get(code, ""))
        places = any(k in words for k in "XUZW")
        only_says = "P" not in words if code in PROFILES else not places if code in (PECK, GROOVE) else False
        if code == THREAD_CYCLE:
            only_says = "X" not in words and "U" not in words
        if only_says:
            self._told_before[code] = words
            return
        if self._within:
            text = f"G{code} stands among the blocks that another cycle means, which can't be. Let P and Q name only the profile."
            self.find("syntax", "stop", text)
            return
        try:
            self._carry_out(code, self._told_before.get(code, {}), words)
        except TooMany as error:
            self.find("too-many", "stop", f"G{code} is not carried out: {error}")

    def _carry_out(self, code: int, before: Mapping[str, float], words: dict[str, float]) -> None:
        if code == THREAD_CYCLE:
            self._thread_cycle(before, words)
        elif code in (PECK, GROOVE):
            self._pecks(code, before, words)
        elif (span := self._span(words)) is None:
            self.find(
                "missing-word",
                "stop",
                f"G{code} doesn't say which blocks it means. Add P and Q with the numbers of the first and the last.",
            )
        elif code == FINISH:
            self._finish(span)
        else:
            self._along_profile(code, before, words, span)

    def _finish(self, span: tuple[int, int]) -> None:
        start = self._at()
        self._read_span(span)
        self._go([("rapid", (self._at()[0], start[1])), ("rapid", start)])

    def _read_span(self, span: tuple[int, int]) -> None:
        """Carry out the blocks that a cycle means."""
        kept = (self.line_no, self.used, self.counted, self.exact)
        self._within = True
        for i in range(span[0], span[1] + 1):
            self.line_no = i + 1
            self._line(i)
        self._within = False
        _, self.used, self.counted, self.exact = kept
        self._flush_chain()

    def _along_profile(
        self, code: int, before: Mapping[str, float], words: Mapping[str, float], span: tuple[int, int]
    ) -> None:
        """G71, G72, G73."""
        self._after = max(self._after, span[1])
        scale, start = self.state.scale, self._at()
        letter = "U" if code == ALONG else "W"
        told = before[letter] * scale if letter in before else USUAL_DEPTH_MM
        depth = self._small(words, "D", told)
        escape = before["R"] * scale if "R" in before else USUAL_ESCAPE_MM
        profile = self._profile(span)
        leave = (words.get("W", 0.0) * scale, words.get("U", 0.0) * scale / 2)
        if code != REPEAT and len(profile) > 1:
            self._judge_profile(code, profile, start, leave)
        if code == REPEAT:
            away = (words.get("K", before.get("W", 0.0)) * scale, words.get("I", before.get("U", 0.0)) * scale)
            count = int(words.get("D", before.get("R", 1.0)))
            self._go(repeated(start, profile, away, max(count, 1), leave))
            return
        if len(profile) < 2 or not is_steady(profile):
            self.find(
                "unknown-word",
                "warn",
                f"The profile of G{code} turns back on itself; only its finishing is followed. Check what the control does with it.",
            )
            return
        self._go((roughed if code == ALONG else faced)(start, profile, max(depth, LEAST_DEPTH_MM), escape, leave))

    def _judge_profile(self, code: int, profile: list[Place], start: Place, leave: Place) -> None:
        """Allowances on the wrong side of the profile, and a profile that goes beyond where the cycle starts."""
        highest, lowest = max(p[1] for p in profile), min(p[1] for p in profile)
        outside = start[1] >= (highest + lowest) / 2
        if leave[1] * (1 if outside else -1) < 0:
            where, sign = ("outside", "plus") if outside else ("in a bore", "minus")
            text = f"U of G{code} leaves metal on the wrong side: {where} it wants a {sign} sign. The roughing would cut into the finished part."
            self.find("value", "stop", text)
        middle = (max(p[0] for p in profile) + min(p[0] for p in profile)) / 2
        away = 1 if start[0] >= middle else -1
        if leave[0] * away < 0:
            sign = "plus" if away > 0 else "minus"
            text = f"W of G{code} leaves metal on the wrong side: this profile wants a {sign} sign. The roughing would cut into the finished part."
            self.find("value", "stop", text)
        beyond = highest - start[1] if outside else start[1] - lowest
        if beyond > BEYOND_MM:
            text = f"The profile of G{code} goes {beyond:.2f} mm beyond the X where the cycle starts: what lies there isn't roughed, and the way back runs through it. Start beyond the profile."
            self.find("value", "stop", text)

    def _pecks(self, code: int, before: Mapping[str, float], words: Mapping[str, float]) -> None:
        """G74 along the axis, G75 across it."""
        scale, start, end = self.state.scale, self._at(), self._end_of(words)
        across = abs(words["I"]) * scale if "I" in words else self._small(words, "P")
        along = abs(words["K"]) * scale if "K" in words else self._small(words, "Q")
        back, relief = before.get("R", 0.0) * scale, words.get("R", 0.0) * scale or self._small(words, "D")
        if code == PECK:
            self._go(pecked(start, end, along, across, back, relief))
        else:
            self._go(grooved(start, end, across, along, back, relief))

    def _span(self, words: Mapping[str, float]) -> tuple[int, int] | None:
        """The lines from block P to block Q; of a text written out several times, those of this time."""
        if self._numbers is None:
            w = self.words
            self._numbers = {}
            for i in range(w.lines):
                k = int(w.first[i])
                if k < int(w.first[i + 1]) and chr(w.letter[k]) == "N":
                    self._numbers.setdefault(int(w.value[k]), []).append(i)
        firsts, lasts = (self._numbers.get(int(words.get(k, -1)), []) for k in "PQ")
        first = min(firsts, key=lambda i: abs(i - self.line_no), default=None)
        last = next((i for i in lasts if first is not None and i >= first), None)
        return (first, last) if first is not None and last is not None else None

    def _profile(self, span: tuple[int, int]) -> list[Place]:
        """The points that blocks describe, read without moving."""
        kept = (
            self.builder,
            list(self.findings),
            dict(self.counts),
            replace(self.state, nose=list(self.state.nose)),
            self.line_no,
        )
        cycle, shift = dict(self._cycle), self._shift
        self.builder = Builder()
        self._read_span(span)
        motion = self.builder.motion()
        self.builder, self.findings, self.counts, self.state, self.line_no = kept
        self._cycle, self._shift = cycle, shift
        points: list[Place] = []
        for i in range(len(motion)):
            chords = motion.chords(i, PROFILE_CHORD_MM)
            points += [(float(p[2]), float(p[0])) for p in (chords[-1:] if not points else chords[1:])]
        return points

    def _thread_cycle(self, before: Mapping[str, float], words: Mapping[str, float]) -> None:
        """G76: by two lines, or by one with the height as K, the first depth as D and the flank angle as A."""
        scale = self.state.scale
        if "K" in words:
            repeats, flank, out = 1, words.get("A", 0.0), 0.0
            height, first, least, last = abs(words["K"]) * scale, self._small(words, "D"), 0.0, 0.0
            taper = words.get("I", 0.0) * scale
        else:
            how = int(before.get("P", 10060))
            repeats, flank = how // 10000, float(how % 100)
            out = how // 100 % 100 / 10 * abs(words.get("F", 0.0)) * scale
            height, first = self._small(words, "P"), self._small(words, "Q")
            thousandth = scale / (10_000 if scale != 1.0 else 1000)
            least, last = before.get("Q", 0.0) * thousandth, before.get("R", 0.0) * scale
            taper = words.get("R", 0.0) * scale
        if height <= 0 or first <= 0:
            self.find("missing-word", "stop", "G76 has no height or no first depth. Add P and Q, or K and D.")
            return
        start, end = self._at(), self._end_of(words)
        self._in_step(
            words, lambda: self._go(thread_passes(start, end, height, first, least, last, repeats, flank, taper, out))
        )
