"""Where a mill's programmed coordinates lie: work offsets, those that a program sets itself, shifts, mirror and rotation."""

from __future__ import annotations

from msgspec.structs import replace

from bastler.core.gcode.control import AXES, Control
from bastler.core.gcode.millmoves import MillMoves
from bastler.core.gcode.places import Place

FRAMES = ("mirror", "mirror_off", "local_shift", "rotate", "rotate_off")


class Origins(MillMoves):
    """A control that knows more than one zero."""

    def __init__(self, data: bytes, control: Control, name: str = "The program") -> None:
        super().__init__(data, control, name)
        self.offsets: dict[str, Place] = {control.work_offset: (0.0, 0.0, 0.0), **control.offsets}
        self._stored: dict[str, Place] = {}
        self._offset_in_use = control.work_offset

    def _store(self, words: dict[str, float]) -> None:
        """G10: a work offset as the program sets it.

        Where the setup's own offset lies on the machine only the machine knows; the check keeps it at the job's
        zero, and takes from the program how far the others lie from it.
        """
        self.use("LPRXYZ")
        kind, number, own = words.get("L"), int(words.get("P", 0)), self.control.work_offset
        s = self.state
        self.counted.add("R")
        if kind not in (2, 20) or number < 1 or (kind == 2 and number > 6):
            text = (
                "This G10 changes what the control has stored; the check goes on with the job's own tools and offsets."
            )
            self.find("work-offset", "warn", text)
            return
        name = f"G{53 + number}" if kind == 2 else f"G54.1 P{number}"
        old = self._stored.get(name, (0.0, 0.0, 0.0)) if s.absolute else self.offsets.get(name, (0.0, 0.0, 0.0))
        typed = [words[a] * s.scale if a in words else None for a in AXES]
        if not s.absolute:
            x, y, z = (o + (t or 0.0) for o, t in zip(old, typed, strict=True))
            self.offsets[name] = (x, y, z)
        else:
            x, y, z = (o if t is None else t for o, t in zip(old, typed, strict=True))
            self._stored[name] = (x, y, z)
            if own in self._stored:
                zero = self._stored[own]
                for known, at in self._stored.items():
                    self.offsets[known] = (at[0] - zero[0], at[1] - zero[1], at[2] - zero[2])
            else:
                text = f"G10 sets {name}, but not {own}, from which the check counts. Set {own} by G10 too, or check with the job's own offsets."
                self.find("work-offset", "warn", text)
        if self._offset_in_use in self.offsets:
            s.frame = replace(s.frame, offset=self.offsets[self._offset_in_use])

    def _work_offset(self, code: float, words: dict[str, float]) -> None:
        """Another origin: that of the setup, one of its further parts, or one that the program has set."""
        control = self.control
        if code == 54.1:
            self.use("P")
        name = f"G54.1 P{int(words.pop('P', 0))}" if code == 54.1 else f"G{code:g}"
        if name in self.offsets or not control.with_job:
            self._offset_in_use = name
            self.state.frame = replace(self.state.frame, offset=self.offsets.get(name, (0.0, 0.0, 0.0)))
        else:
            have = ", ".join(self.offsets)
            text = f"{name} is not this setup's work offset, {have}. Use that, or change the setup."
            self.find("work-offset", "stop", text)

    def _set_place(self, words: dict[str, float]) -> None:
        """G92: the tool stands at these coordinates.

        As long as no place of the program has been gone to, that says where the tool stands; afterwards it moves the
        zero, so that the place where the tool is has these coordinates.
        """
        s = self.state
        if not s.placed:
            s.nose = self._target(words)
            return
        self.use(AXES)
        here = s.frame.back((s.nose[0], s.nose[1], s.nose[2] - s.length))
        away = [here[i] - words[a] * s.scale if a in words else 0.0 for i, a in enumerate(AXES)]
        x, y, z = (at + by for at, by in zip(s.frame.local, away, strict=True))
        s.frame = replace(s.frame, local=(x, y, z))

    def _frame(self, what: str, words: dict[str, float]) -> None:
        """Mirror, rotation, local shift."""
        s = self.state
        xyz = {a: words[a] * s.scale for a in AXES if a in words}
        if what == "mirror":
            self.use("XY")
            if not xyz.keys() & {"X", "Y"}:
                text = "G51.1 names no axis to mirror about. Add X or Y with the place of the mirror line."
                self.find("missing-word", "stop", text)
            s.frame = replace(s.frame, mirror_x=xyz.get("X", s.frame.mirror_x), mirror_y=xyz.get("Y", s.frame.mirror_y))
        elif what == "mirror_off":
            self.use("XY")
            every = not xyz
            s.frame = replace(
                s.frame,
                mirror_x=None if every or "X" in xyz else s.frame.mirror_x,
                mirror_y=None if every or "Y" in xyz else s.frame.mirror_y,
            )
        elif what == "local_shift":
            self.use(AXES)
            s.frame = replace(s.frame, local=(xyz.get("X", 0.0), xyz.get("Y", 0.0), xyz.get("Z", 0.0)))
        elif what == "rotate":
            self.use("XYR")
            self.counted.add("R")
            if "R" not in words:
                self.find("missing-word", "stop", "G68 has no angle. Add R in degrees.")
            here = s.frame.back((s.nose[0], s.nose[1], s.nose[2]))
            s.frame = replace(s.frame, angle=words.get("R", 0.0), centre=(xyz.get("X", here[0]), xyz.get("Y", here[1])))
        else:
            s.frame = replace(s.frame, angle=0.0, centre=(0.0, 0.0))
