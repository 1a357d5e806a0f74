"""A lathe whose main spindle is an axis (C) while a driven tool turns: moves in the part's own coordinates.

*Axis mode*: between the words that make the spindle an axis and a spindle again. *Polar*: while X and C are X and Y of the end face. Where the machine has a Y axis, arcs are read in the planes XY and YZ. C counts from the part's X, counter-clockwise as one looks at the face; what turns under
a standing tool is told as the way of the tool round the part, in chords. *Unrolled*: while arcs of Z and C are those of the round side, unrolled at a radius.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence

from bastler.core.gcode.control import Control
from bastler.core.gcode.lathemoves import LatheMoves
from bastler.core.gcode.motion import ARC, AXES_OF_PLANE, FEED, RAPID, Driven
from bastler.core.tooling.tools import Tool

CHORD_MM, CUT_MM = 0.004, 0.002
"""How far a chord may lie off the tool's way round the part, and while it cuts."""
LEANS_MM, FINEST_LEAN_RAD = 0.006, math.radians(0.05)
COARSEST_RAD, FINEST_RAD = math.radians(15), math.radians(0.2)
"""A chord at a metre from the axis lies less than 0.002 mm off; farther out nothing is cut."""
MOST_TURNS = 50
"""Of C in one move: more is a number that can't be meant, and moves without end."""
SAME_RAD, SAME_DEGREES = 1e-9, 0.002
TURNING, SIDE = 1, 2
"""The planes of Z and X, and of Y and Z."""
POLAR_LETTERS = "NGMXZUWIJKRFSTPQDLOACHrc"
DRIVEN = {"driven_right": 1, "driven_left": -1, "driven_stop": 0}
MODES = {*DRIVEN, "axis_on", "axis_off", "brake_on", "brake_off"}


class AxisMoves(LatheMoves):
    """Modes and moves of driven tools."""

    def __init__(self, data: bytes, control: Control, name: str = "The program") -> None:
        super().__init__(data, control, name)
        self._is_axis = False
        self._c = 0.0
        self._number_0 = -math.radians(self.control.c_zero)
        self._driven = 0
        self._driven_speed = 0.0
        self._axis_told: set[str] = set()
        self._polar = self._braked = self._swings = False
        self._unrolled = 0.0
        self._usual = self.letters = f"{self.letters}YVJ" if control.has_y else self.letters

    def tip(self) -> tuple[float, float, float]:
        """The tool's first reference point: X as a radius, Y, Z."""
        x, _, z = super().tip()
        return (x, self.state.nose[1], z)

    def _place(self, words: Mapping[str, float], *, machine: bool = False) -> list[float]:
        target = super()._place(words, machine=machine)
        if self.control.has_y:
            target[1] = self._aside(words)
        return target

    def _aside(self, words: Mapping[str, float]) -> float:
        """Y that a line asks for, mm."""
        self.use("YV")
        self.counted.update("YV")
        y, scale = self.state.nose[1], self.state.scale
        if "Y" in words:
            y = words["Y"] * scale + (0.0 if self.state.absolute else y)
        return y + words.get("V", 0.0) * scale

    def _rev(self, radius: float) -> float:
        """Of what turns."""
        if self._is_axis:
            return self._driven_speed if self._driven else 0.0
        return super()._rev(radius)

    def _once(self, what: str, text: str) -> None:
        """A finding that is told once between two changes of the mode."""
        if what not in self._axis_told:
            self._axis_told.add(what)
            self.find(what, "stop", text)

    def place_letters(self) -> str:
        """Words by which a line moves something now; an arc all round has a centre alone."""
        letters = "XZUWYV" if self.control.has_y else "XZUW"
        if not self._is_axis:
            # Alone at rapid C is no corner: it is asked for without the axis.
            return f"{letters}C" if self.state.motion == 0 else letters
        round_about = self.state.motion in (2, 3) and (self._polar or self.state.plane != TURNING)
        return f"{letters}CHIJK" if round_about else f"{letters}CH"

    def take_driven_speed(self, words: dict[str, float], early: list[str]) -> None:
        """S belongs to the driven spindle in axis mode, or beside its words."""
        if "S" in words and (self._is_axis or any(what in DRIVEN for what in early)):
            speed = self.speed_word(words)
            self._driven_speed = speed or 0.0
            del words["S"]

    def change_mode(self, what: str) -> None:
        """A word of the axis, its brake or the driven spindle."""
        if what in DRIVEN:
            self._driven = DRIVEN[what]
            if self._driven and self._driven_speed <= 0:
                self.find("missing-word", "stop", "The driven tool is started without a speed. Add S.")
        elif what in ("brake_on", "brake_off"):
            self._braked = what == "brake_on"
        elif what == "axis_on":
            if self.state.spindle:
                self.find("axis-mode", "stop", "The spindle becomes an axis while it turns. Write M5 before.")
            self._flush_chain()
            self._is_axis, self._axis_told = True, set()
            # It stands at its own mark; what C was set to before holds on.
            self._c = -math.radians(self.control.c_zero)
            self.state.spindle = 0
        elif what == "axis_off":
            self._leave_polar()
            self._leave_unrolled()
            self._ask_for_middle()
            self._is_axis, self._axis_told = False, set()
            if self._driven:
                word = self.codes.word("driven_stop")
                text = f"The driven tool still turns as the main spindle becomes a spindle again. Write {word} before."
                self.find("axis-mode", "warn", text)

    def _turn_in_plane(self, words: dict[str, float], *, machine: bool) -> None:
        """A move of turning: Y in the middle, arcs in ZX."""
        s = self.state
        plane = s.plane
        if s.motion in (2, 3) and plane != TURNING:
            self._once("wrong-plane", f"This arc is one of turning, and G{17 + plane} is in force. Write G18 before.")
        if abs(words.get("Y", 0.0)) > CHORD_MM and self.control.has_y:
            self._once("axis-mode", "Y leaves the middle while the main spindle is no axis. Write Y0.")
        s.plane = TURNING
        super()._move(words, machine=machine)
        s.plane = plane

    def _ask_for_middle(self) -> None:
        """What turning starts from: Y in the middle, arcs in ZX."""
        s = self.state
        if abs(s.nose[1]) > CHORD_MM:
            text = f"Y stands at {s.nose[1] / s.scale:g} as turning begins. Write Y0 before."
            self.find("axis-mode", "stop", text)
        if s.plane != TURNING:
            text = "Arcs are still those of XY or YZ as turning begins. Write G18 before."
            self.find("wrong-plane", "warn", text)

    def turn_in_axis_mode(self) -> None:
        """The main spindle is started while it is an axis."""
        word = self.codes.word("axis_off")
        self._once("axis-mode", f"The main spindle is started while it is an axis. Write {word} before.")

    def _angle(self, words: Mapping[str, float]) -> float:
        """C of the part that a line asks for, radians, as it is counted on."""
        self.use("CH")
        self.counted.update("CH")
        c = self._c
        if "C" in words:
            c = math.radians(words["C"]) + (self._number_0 if self.state.absolute else c)
        return c + math.radians(words.get("H", 0.0))

    def _move(self, words: dict[str, float], *, machine: bool = False) -> None:
        s = self.state
        if not self._is_axis:
            if "C" in words and s.motion == 0:
                word = self.codes.word("axis_on")
                self.use("C")
                self.counted.add("C")
                text = f"C{words['C']:g} is asked for while the main spindle is no axis. Write {word} before, with the spindle standing."
                self.find("axis-mode", "stop", text)
            self._turn_in_plane(words, machine=machine)
            return
        if self._polar:
            self._move_polar(words)
            return
        if self._unrolled and s.motion in (0, 2, 3):
            self._move_unrolled(words)
            return
        target = self._place(words, machine=machine)
        s.placed = not machine
        if s.motion in (2, 3) and s.plane != TURNING:
            self._ask_for_driven()
            self._arc(words, target)
            return
        if s.motion not in (0, 1):
            text = "While the spindle is an axis, G0 and G1 are carried out, and arcs in the planes of G17 and G19. Write the rest as those."
            self.find("unknown-word", "stop", text)
            return
        if s.motion == 1:
            self._ask_for_driven()
        self._turn_to(target, self._angle(words), FEED if s.motion == 1 else RAPID)

    # moves in X and Y of the end face, which the control turns into X and C

    def switch_polar(self, *, on: bool) -> None:
        """The control's own polar interpolation begins at C0, or ends."""
        self._flush_chain()
        if on and not self._is_axis:
            word = self.codes.word("axis_on")
            self._once(
                "axis-mode", f"Moves in X and Y of the end face need the spindle as an axis. Write {word} before."
            )
        elif on and abs(math.remainder(self._c - self._number_0, math.tau)) > SAME_RAD:
            text = f"The moves in X and Y of the end face begin at C{math.degrees(self._c - self._number_0):g}; they count from C0. Write C0 before."
            self.find("axis-mode", "stop", text)
        elif not on:
            self._leave_polar()
        if on:
            self._polar = self._is_axis
            self.letters = POLAR_LETTERS

    def _leave_polar(self) -> None:
        """The tool stays; X is its distance from the axis again, and C its direction, counted from its zero anew."""
        if not self._polar:
            return
        self._polar = False
        self.letters = self._usual
        x, y, z = self.state.nose
        turned = math.atan2(y, x) + self._number_0 if math.hypot(x, y) > CHORD_MM else self._c
        self._c = math.remainder(turned, math.tau)
        self.state.nose = [math.hypot(x, y), 0.0, z]

    def _move_polar(self, words: Mapping[str, float]) -> None:
        """A line or an arc in the plane of the end face: X a diameter, C a length."""
        s = self.state
        self.use("XZUWCH")
        x, y, z = s.nose
        if "X" in words:
            x = words["X"] * s.scale / 2 + (0.0 if s.absolute else x)
        if "C" in words:
            y = words["C"] * s.scale + (0.0 if s.absolute else y)
        if "Z" in words:
            z = words["Z"] * s.scale + (0.0 if s.absolute else z)
        x, y, z = (
            x + words.get("U", 0.0) * s.scale / 2,
            y + words.get("H", 0.0) * s.scale,
            z + words.get("W", 0.0) * s.scale,
        )
        if s.motion == 0:
            self._once(
                "syntax",
                "Rapid moves aren't carried out while X and C move in the plane of the end face. Write G1 with a feed.",
            )
        else:
            self._ask_for_driven()
        if s.motion in (2, 3):
            before, s.plane = s.plane, 0
            self._arc(words, [x, y, z])
            s.plane = before
        else:
            self._add_level([x, y, z], FEED if s.motion == 1 else RAPID)

    # moves round the side, which the control unrolls at a radius

    def switch_unrolled(self, words: Mapping[str, float]) -> None:
        """The control's own cylindrical interpolation begins with the radius, or ends with 0."""
        self._flush_chain()
        self.use("C")
        self.counted.update("C")
        radius = words.get("C", 0.0) * self.state.scale
        tool = self.control.tools.get(self.state.tool)
        if radius > 0 and not self._is_axis:
            word = self.codes.word("axis_on")
            text = f"C{words['C']:g} unrolls the side, and the main spindle is no axis. Write {word} before."
            self.find("axis-mode", "stop", text)
        elif radius > 0 and tool is not None and tool.driven == "along":
            text = f"T{tool.number} ({tool.name}) points along the axis, and can't cut round the side. Take one that points towards it."
            self._once("axis-mode", text)
        self._unrolled = radius if self._is_axis else 0.0

    def _leave_unrolled(self) -> None:
        """Turning begins while the round side is still unrolled."""
        if self._unrolled:
            text = f"The side is still unrolled ({self.codes.word('unrolled_moves')}) as turning begins. End it with C0 before."
            self.find("axis-mode", "stop", text)
            self._unrolled = 0.0

    def _move_unrolled(self, words: Mapping[str, float]) -> None:
        """An arc of Z and C, in lengths on the radius; a rapid move isn't carried out as one."""
        s = self.state
        target, c = self._place(words), self._angle(words)
        self._ask_for_driven()
        if s.motion == 0:
            text = "Rapid moves aren't carried out while the side is unrolled. Write G1 with a feed."
            self._once("syntax", text)
            self._turn_to(target, c, RAPID)
            return
        if s.plane != SIDE:
            self._once(
                "wrong-plane",
                f"Arcs of the unrolled side lie in C and Z, and G{17 + s.plane} is in force. Write G19 before.",
            )
        plane, s.plane = s.plane, SIDE
        s.nose[1], target[1] = self._c * self._unrolled, c * self._unrolled
        self._arc(words, target)
        s.nose[1], s.plane = 0.0, plane

    def _go_unrolled(self, target: list[float], centre: tuple[float, float], sweep: float) -> None:
        """The chords of an arc on the unrolled side; its Y is the length round."""
        s, at = self.state, self._unrolled
        start, z0 = s.nose[1], s.nose[2]
        radius, begin = math.dist((start, z0), centre), math.atan2(z0 - centre[1], start - centre[0])
        finest = min(_step_at(radius), self._leans_by(s.nose[0]) * at / radius)
        x0, count = s.nose[0], max(math.ceil(abs(sweep) / finest), 2)
        for k in range(1, count + 1):
            share, turned = k / count, begin + sweep * k / count
            u, z = centre[0] + radius * math.cos(turned), centre[1] + radius * math.sin(turned)
            u, z = (target[1], target[2]) if k == count else (u, z)
            s.nose[1] = 0.0
            self._turn_to([x0 + (target[0] - x0) * share, 0.0, z], u / at, FEED)

    def _run(self, target: list[float], kind: int) -> None:
        if self._unrolled and self.state.plane == SIDE and abs(target[1]) > SAME_RAD:
            # An arc that couldn't be read.
            c, self.state.nose[1] = target[1] / self._unrolled, 0.0
            self._turn_to([target[0], 0.0, target[2]], c, kind)
        elif self._polar:
            self._add_level(target, kind)
        else:
            super()._run(target, kind)

    def _go_arc(self, target: list[float], centre: tuple[float, float], sweep: float) -> None:
        if self._polar:
            self._add_level(target, ARC, (*centre, 0.0), sweep)
        elif self._unrolled:
            self._go_unrolled(target, centre, sweep)
        elif self._is_axis:
            self._go_about(target, centre, sweep)
        else:
            super()._go_arc(target, centre, sweep)

    def _add_level(
        self, target: list[float], kind: int, centre: tuple[float, float, float] = (0.0, 0.0, 0.0), sweep: float = 0.0
    ) -> None:
        """One move in the plane of the end face, or into it; C swings along."""
        s = self.state
        x0, y0, z0 = s.nose
        x1, y1, z1 = s.nose = target
        if not sweep and math.dist((x0, y0, z0), (x1, y1, z1)) < SAME_RAD:
            return
        c0, zero = self._c, self._number_0
        self._ask_for_zero(kind)
        turned = math.atan2(y1, x1) + zero
        self._c = c0 + math.remainder(turned - c0, math.tau) if math.hypot(x1, y1) > CHORD_MM else c0
        (x0, y0), (x1, y1), (cx, cy) = (_turned(p, zero) for p in ((x0, y0), (x1, y1), centre[:2]))
        centre = (cx, cy, centre[2])
        if self._braked:
            self._ask_for_brake(self._c - c0, kind)
        self.builder.add(
            kind, (x0, y0, z0), (x1, y1, z1), feed=self._per_minute(self._driven_speed) if kind != RAPID else 0.0, speed=self._rev(0.0), tool=s.tool,
            line=self.line_no, centre=centre, sweep=sweep, turn=self._driven, driven=Driven(c0, self._c, (0.0, 0.0, 1.0)),
        )  # fmt: skip

    def _go_about(self, target: list[float], centre: tuple[float, float], sweep: float) -> None:
        """An arc of X and Y, or of Y and Z, while C is held: in chords."""
        a, b, n = AXES_OF_PLANE[self.state.plane]
        start = list(self.state.nose)
        radius, begin = math.dist((start[a], start[b]), centre), math.atan2(start[b] - centre[1], start[a] - centre[0])
        count = max(math.ceil(abs(sweep) / _step_at(radius)), 2)
        for k in range(1, count + 1):
            share, turned, place = k / count, begin + sweep * k / count, list(target)
            if k < count:
                place[a], place[b] = centre[0] + radius * math.cos(turned), centre[1] + radius * math.sin(turned)
                place[n] = start[n] + (target[n] - start[n]) * share
            self._turn_to(place, self._c, FEED)

    def _go_straight(self, target: list[float], kind: int) -> None:
        tool = self.control.tools.get(self.state.tool)
        if self._is_axis or (tool is not None and tool.driven == "across"):
            self._turn_to(target, self._c if self._is_axis else 0.0, kind)
        else:
            super()._go_straight(target, kind)

    def _ask_for_driven(self) -> None:
        """What a cut of a driven tool needs."""
        s, tool = self.state, self.control.tools.get(self.state.tool)
        self._ask_for_length()
        if s.feed <= 0:
            self.find("no-feed", "stop", "A cutting move has no feed. Add F to this line or before.")
        if s.feed_mode == "rev":
            word = self.codes.word("per_minute")
            self._once("feed-mode", f"The feed is one per turn of a spindle that is an axis now. Write {word} before.")
        if tool is not None and not tool.driven:
            word = self.codes.word("axis_off")
            text = f"T{tool.number} ({tool.name}) isn't driven, and cuts while the spindle is an axis. Write {word} before, or correct the tool."
            self._once("axis-mode", text)

    def set_c(self, words: Mapping[str, float]) -> None:
        """C has a number where it stands, and is counted on from there."""
        self.use("C")
        self.counted.update("C")
        if not self._is_axis:
            word = self.codes.word("axis_on")
            text = f"C{words['C']:g} is set while the main spindle is no axis. Write {word} before."
            self._once("axis-mode", text)
            return
        self._number_0 = self._c - math.radians(words["C"])

    def _ask_for_zero(self, kind: int) -> None:
        """A cut while C is counted from elsewhere than from the part's zero."""
        away = math.degrees(math.remainder(self._number_0, math.tau))
        if kind != RAPID and abs(away) > SAME_DEGREES and "zero" not in self._axis_told:
            self._axis_told.add("zero")
            word, number = self.codes.word("limit_or_place"), self.control.c_zero
            text = f"It cuts while C isn't counted from the part's C 0, which lies at {number:g}° of the spindle. Write G0 C{number:g}. and {word} C0. before."
            self.find("axis-mode", "stop", text)

    def _ask_for_brake(self, swung: float, kind: int, *, across: bool = False) -> None:
        """C turns only without its brake, and is held by it while a tool cuts; not in the middle of a cut that C swings in, where it goes ``across``."""
        if self._braked and abs(swung) > SAME_RAD:
            word = self.codes.word("brake_off")
            self._once("axis-mode", f"C turns while its brake holds it. Write {word} before.")
        elif (
            abs(swung) <= SAME_RAD
            and kind != RAPID
            and self._is_axis
            and self.control.has_brake
            and not (self._braked or self._unrolled or (self._swings and across))
            and "brake" not in self._axis_told
        ):
            self._axis_told.add("brake")
            word = self.codes.word("brake_on")
            self.find("brake-open", "warn", f"The tool cuts while the brake of C is open. Write {word} before.")

    def _leans_by(self, radius: float) -> float:
        """How far C may swing in a chord, radians, so that a tool with its tip at a radius stands nowhere in metal more than :data:`LEANS_MM` aside."""
        deep = self.control.bar_radius - radius
        return min(max(2 * LEANS_MM / max(deep, LEANS_MM), FINEST_LEAN_RAD), COARSEST_RAD)

    def _turn_to(self, target: list[float], c: float, kind: int) -> None:
        """A straight move of the axes: a curve round the part where C turns."""
        s = self.state
        start, c0 = self.tip(), self._c if self._is_axis else 0.0
        s.nose = target
        end = self.tip()
        if abs(c - c0) > MOST_TURNS * math.tau:
            text = f"C turns {abs(c - c0) / math.tau:.0f} times round here, which can't be meant. Correct C."
            self.find("value", "stop", text)
            c = c0 + math.fmod(c - c0, math.tau)
        swung = c - c0
        if self._is_axis:
            self._ask_for_zero(kind)
        self._ask_for_brake(swung, kind, across=start[:2] != end[:2])
        self._swings = kind != RAPID and (self._swings or abs(swung) > SAME_RAD)
        if math.dist(start, end) < 1e-9 and abs(swung) < 1e-12:
            return
        radius = max(math.hypot(*start[:2]), math.hypot(*end[:2]), CHORD_MM)
        tool = self.control.tools.get(s.tool)
        leans = kind != RAPID and tool is not None and tool.driven == "across"
        fine = self._leans_by(min(math.hypot(*start[:2]), math.hypot(*end[:2]))) if leans else COARSEST_RAD
        along, step = abs(end[2] - start[2]) > CHORD_MM, _step_at(radius, CHORD_MM if kind == RAPID else CUT_MM)
        shares = _shares(abs(swung), min(step, fine) if along else step, min(step, fine))
        feed = self._per_minute(self._driven_speed) * self._share_of_feed(start, end, swung) if kind != RAPID else 0.0
        for a, b in itertools.pairwise(shares):
            (p, cp), (q, cq) = (_at((*start, c0), (*end, c), share) for share in (a, b))
            self.builder.add(
                kind, p, q, feed=feed, speed=self._rev(0.0), tool=s.tool, line=self.line_no, turn=self._driven,
                driven=Driven(cp, cq, pointing(tool, (cp + cq) / 2)),
            )  # fmt: skip
        self._c = c

    def _share_of_feed(self, start: Sequence[float], end: Sequence[float], swung: float) -> float:
        """How fast the tool goes in the part for each mm/min of F, as the control counts degrees or doesn't."""
        if not self.codes.feed_counts_degrees or self._unrolled or abs(swung) < SAME_RAD:
            return 1.0
        (r0, r1), rises = (math.hypot(*p[:2]) for p in (start, end)), end[2] - start[2]
        # The way in the part is a spiral, near enough.
        way = math.hypot(r1 - r0, rises, (r0 + r1) / 2 * swung)
        counted = math.hypot(r1 - r0, rises, math.degrees(swung) * self.state.scale)
        return way / counted if way > SAME_RAD else 1.0


def _turned(p: Sequence[float], by: float) -> tuple[float, float]:
    """A place turned round the axis."""
    c, s = math.cos(by), math.sin(by)
    return (p[0] * c - p[1] * s, p[0] * s + p[1] * c) if by else (p[0], p[1])


def pointing(tool: Tool | None, c: float) -> tuple[float, float, float]:
    """Which way a driven tool points from its tip, in the part that has swung by ``c`` radians."""
    if tool is not None and tool.driven == "across":
        return (math.cos(c), math.sin(c), 0.0)
    return (0.0, 0.0, 1.0)


def _shares(swung: float, step: float, fine: float) -> list[float]:
    """Where the chords of a way end that C swings along.

    In a chord a tool that points to the axis leans by up to half of what C swings. Along the way the next chord makes up for it, beside it nothing does:
    therefore finer ones at both ends.
    """
    count = max(math.ceil(swung / step), 1)
    found = [k / count for k in range(count + 1)]
    return [0.0, fine / swung, *found[1:-1], 1.0 - fine / swung, 1.0] if swung / count > 2 * fine else found


def _step_at(radius: float, off: float = CHORD_MM) -> float:
    """How far a chord may go round at a radius, in radians, to lie no more than so far off; both mm."""
    return min(max(2 * math.acos(max(1 - off / max(radius, off), -1.0)), FINEST_RAD), COARSEST_RAD)


Axes = tuple[float, float, float, float]


def _at(start: Axes, end: Axes, share: float) -> tuple[tuple[float, float, float], float]:
    """The tip in the part, and C, at a share of a move of X, Y, Z and C."""
    x, y, z, c = (a + (b - a) * share for a, b in zip(start, end, strict=True))
    return (x * math.cos(c) - y * math.sin(c), x * math.sin(c) + y * math.cos(c), z), c
