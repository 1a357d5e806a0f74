"""The bench of a two-axis lathe: a bar in a chuck, seen as a half section."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING

from msgspec.structs import replace

from bastler.core.benches.bench import Seen, refuse, unfinished_before, unknown_material
from bastler.core.cycles import cycles
from bastler.core.cycles.base import Cycle
from bastler.core.fields import Answers, Values
from bastler.core.geometry.path import Path
from bastler.core.job.chucking import Shop, chucking_frame, read_chucking
from bastler.core.job.document import Setup
from bastler.core.job.frame import Frame
from bastler.core.job.held import Section
from bastler.core.job.reclamped import left_before
from bastler.core.planning.contours import NamedContour
from bastler.core.planning.work import Work
from bastler.core.plans.plan import Plan
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Units, show, unit_word
from bastler.core.tooling.machines import machines

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from bastler.core.gcode.motion import Motion
    from bastler.core.post.dialect import Dialect
    from bastler.core.post.program import Program
    from bastler.core.request import Request
    from bastler.core.verify.trial import LeftStock, Trial


ZERO_WORDS = {"face": "front of the finished part", "stock": "front of the stock", "jaws": "face of the jaws"}


class LatheBench:
    """See :class:`bastler.core.benches.bench.Bench`."""

    kind = "lathe"
    word = "a lathe"

    def set_up(
        self, setup: Setup, units: Units, earlier: Plan | None, contours: Mapping[str, NamedContour]
    ) -> tuple[Answers, Frame]:
        """Bar, casting or a part turned before; chuck, tailstock, zero."""
        machine = machines()[setup.machine]
        read = read_chucking(setup.values, units, Shop(machine, contours))
        section, wrong = _section(read.values, earlier, units)
        wrong = (*_nothing_turned(read.values, earlier), *unknown_material(setup), *wrong, *_pieces(setup, read.values))
        f = chucking_frame(setup, read.values, machine, section)
        if earlier is not None:
            wrong = (*wrong, *unfinished_before(earlier))
        if section:
            from bastler.core.planning.lathe.setting import held_well

            wrong = (*wrong, *held_well(f.held, read.values, units))
        return replace(read, problems=(*read.problems, *wrong)), f

    def start(self, work: Work, f: Frame, earlier: Plan | None) -> Work:
        """The half section in its chuck."""
        from bastler.core.planning.lathe.setting import chucked

        return replace(work, chucked=chucked(f.held))

    def seen(self, cycle: Cycle, typed: Mapping[str, str], work: Work) -> Seen:
        """A milling cycle on a surface of the part, if the machine drives tools."""
        from bastler.core.cycles.surfacing import seen_from, standing, surfaced, surfaces_of

        if not cycle.on_surfaces:
            return Seen(cycle, standing(work), points="")
        surfaces = surfaces_of(cycle, typed, work)
        return Seen(
            surfaced(cycle, has_y=work.machine.axis("Y") is not None),
            seen_from(surfaces[0], work),
            surfaces,
            surfaces[0].points,
        )

    def most_turns(self, f: Frame) -> float:
        """What was asked for at constant cutting speed."""
        return f.held.limit

    def bar_radius(self, f: Frame) -> float:
        """That of the raw stock."""
        return f.held.blank[3]

    def c_zero(self, f: Frame) -> float:
        """As the setup says."""
        return f.held.c_zero

    def fits(self, dialect: Dialect) -> None:
        """A lathe's."""
        refuse(dialect, self.kind)

    def post(self, plan: Plan, dialect: Dialect) -> Program:
        """Moves in X, as a diameter, and Z."""
        from bastler.core.post.lathewriter import post_turned

        return post_turned(plan, dialect)

    def facts(self, plan: Plan, weight: float) -> tuple[tuple[str, str], ...]:
        """Bar, zero, chuck, speed limit."""
        units, held, v = plan.job.units, plan.frame.held, plan.setup_answers.values
        z0, z1, _, _ = held.blank
        front, length, grip, out = (
            show(value, units=units) for value in (z1, z1 - z0, v.get("grip", 0.0), v.get("out", 0.0))
        )
        held_in = "three-jaw chuck" if v.get("held_in", "chuck") == "chuck" else "collet"
        tail = (", against a stop" if v.get("stop") else "") + (", tailstock" if v.get("tailstock") else "")
        c_zero = f"; C 0 at {show(held.c_zero)}° of the spindle" if held.c_zero else ""
        return (
            ("Bar", f"{held.said(units)} × {length} {unit_word(Kind.LENGTH, units)}"),
            ("Zero", f"{ZERO_WORDS[v.get('zero_by', 'face')]}: the stock ends at Z {front}{c_zero}"),
            ("Held in", f"{held_in}{tail}, {grip} gripped, {out} out"),
            ("Speed limit", f"{held.limit:.0f} /min with constant cutting speed"),
        )

    def outlines(self, plan: Plan) -> Iterator[tuple[str, Path]]:
        """The half section, Z along X of the drawing, radii along Y."""
        import shapely

        from bastler.core.geometry.halfsection import as_path, polygons

        stock = plan.start.lathe.stock
        gone = [c.area for s in plan.cut for c in s.cleared if not c.wanted and c.thread is None]
        part = shapely.difference(stock, shapely.union_all(gone)) if gone else stock
        for area, layer in ((stock, "stock"), (part, "part")):
            for one in polygons(area):
                for ring in (one.exterior, *one.interiors):
                    yield layer, as_path([(z, r) for z, r in ring.coords])

    def trial(
        self, plan: Plan, motion: Motion, steps: NDArray[np.int32], request: Request, left: LeftStock | None
    ) -> Trial:
        """A half section."""
        from bastler.core.verify.lathetrial import LatheTrial

        return LatheTrial(plan, motion, steps, edited=request.text is not None)


def _nothing_turned(v: Values, earlier: Plan | None) -> tuple[Problem, ...]:
    if not left_before(v) or (earlier is not None and earlier.start.chucked is not None):
        return ()
    return (Problem("stock_kind", "There is no turned setup before this one. Choose a bar, a tube or a casting."),)


def _pieces(setup: Setup, v: Values) -> tuple[Problem, ...]:
    """Several pieces need the bar to come forward at the end of each."""
    if v.get("pieces", 1) < 2 or not setup.steps:
        return ()
    on = [s for s in setup.steps if s.on]
    if on and cycles()[on[-1].cycle].renews:
        return ()
    text = "For several pieces the bar must come forward behind each: add “Bar feed” as the last step."
    return (Problem("pieces", text, blocks=False),)


def _section(v: Values, earlier: Plan | None, units: Units) -> tuple[Section, tuple[Problem, ...]]:
    """The outlines of a stock that is no bar or tube, and what is wrong with it."""
    kind = v.get("stock_kind")
    if kind == "contour":
        from bastler.core.planning.lathe.setting import cast

        return cast(v)
    if kind != "before" or earlier is None or earlier.start.chucked is None:
        return (), ()
    from bastler.core.planning.lathe.setting import left_by

    cut = tuple(c.area for s in earlier.steps if s.ready for c in s.cleared if not c.wanted)
    return left_by(earlier.start.chucked.less(cut).stock, v, units)
