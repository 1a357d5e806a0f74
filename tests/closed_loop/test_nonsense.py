"""Whatever is typed into whatever field: nothing raises, and what is wrong is said at a field, in a sentence.

Over every family of cycles; a fault that only a guard keeps from the person is in the log then, and fails the test.
"""

from __future__ import annotations

from collections.abc import Mapping

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bastler.core.cycles import cycles
from bastler.core.engine import Engine
from bastler.core.exchange.dxf import write_dxf
from bastler.core.fields import Field
from bastler.core.job.chucking import FIELDS as CHUCKING_FIELDS
from bastler.core.job.clamping import FIELDS
from bastler.core.job.document import Job, PatternRecord, Setup, Step, ToolRecord
from bastler.core.planner import plan
from bastler.core.planning.patterns import NAMED_FIELDS
from bastler.core.plans.magazine import magazine
from bastler.core.problems import Unusable
from bastler.core.quantities import Kind
from bastler.core.request import Request
from bastler.core.tooling.kinds import KINDS
from tests.closed_loop.test_every_cycle import STOCK, TOOLS
from tests.closed_loop.test_every_cycle import Draw as Drawn
from tests.contours import CONTOURS
from tests.turned import BAR, LATHE_TOOLS, TUBE, turned_contour

NONSENSE = (
    "",
    "abc",
    "1/0",
    "nan",
    "inf",
    "1e99",
    "-5",
    "0",
    "0.0001",
    "9999",
    "__import__('os')",
    "3;4",
    "1,2",
    "yes",
    "#",
    "Ø5",
    "2*",
    "½",
    "²",
    "2**99999",
    "1,5",
    "0x10",
    "\x0c",
)
SENSIBLE = (
    "1",
    "2",
    "5",
    "8",
    "10",
    "12.5",
    "20",
    "60/2",
    "1in",
    "30, 20",
    "30, 20; 60, 40",
    "M8",
    "M10x1.25",
    "no",
    "1, 2",
)


def typed(fields: tuple[Field, ...], tools: tuple[ToolRecord, ...] = TOOLS) -> st.SearchStrategy[dict[str, str]]:
    """Any answers to some of the fields: choices, numbers, nonsense; tools of any kind."""

    def of(field: Field) -> st.SearchStrategy[str | None]:
        keys = [key for key, _ in field.choices] or (["yes", "no"] if field.kind is Kind.FLAG else [])
        if field.kind is Kind.TOOL:
            keys = [str(t.number) for t in tools]
        if field.kind in (Kind.CONTOUR, Kind.CONTOURS):
            keys = [c.id for c in CONTOURS] + ["~gone", "~open, ~smooth"]
        known = st.sampled_from(keys) if keys else st.sampled_from(SENSIBLE)
        return st.one_of(st.none(), known, known, st.sampled_from(SENSIBLE), st.sampled_from(NONSENSE))

    drawn = st.fixed_dictionaries({f.key: of(f) for f in fields})
    return drawn.map(lambda d: {k: t for k, t in d.items() if t is not None})


def sentences(problems: object, keys: set[str]) -> None:
    for p in problems:  # type: ignore[attr-defined]
        assert p.field in keys, p
        assert p.text[0] in "“" or p.text[0].isupper() or p.text[0].isdigit(), p
        assert p.text.rstrip().endswith((".", ")", "?", "!")), p


def whole(job: Job, index: int = 0) -> None:
    """Everything that the window does with a plan, without a window."""
    planned = plan(job, index)
    magazine(planned)
    for s in planned.steps:
        assert s.title is not None
        sentences(s.answers.problems, {f.key for f in s.cycle.fields})
        s.marks()
        s.cycle.power_share(s.answers.values, s.work)
    planned.first_obstacle()


@pytest.mark.parametrize("cycle", cycles().ids("lathe"))
@given(data=st.data())
@settings(max_examples=15)
def test_a_step_of_a_lathe_answered_with_anything_is_read_and_drawn(cycle: str, data: st.DataObject) -> None:
    setup = data.draw(st.sampled_from((BAR, TUBE)))
    contours = (turned_contour(Drawn(data), "~one", 8.0, 22.0, 50.0), *CONTOURS)
    values = data.draw(typed(cycles()[cycle].fields, LATHE_TOOLS))
    for field in cycles()[cycle].fields:
        if field.kind is Kind.CONTOUR and data.draw(st.booleans()):
            values[field.key] = "~one"
    if cycle in ("repeat_along", "repeat"):
        values["steps"] = data.draw(st.sampled_from(["before0", "", "gone"]))
    before = Step(id="before0", cycle="end_face")
    steps = (before, Step(id="it", cycle=cycle, values=values))
    lathe = Setup(machine="small-lathe-mm", steps=steps, values=setup)
    whole(Job(tools=LATHE_TOOLS, contours=contours, setups=(lathe,)))


@given(values=typed(CHUCKING_FIELDS), machine=st.sampled_from(("small-lathe-mm", "slide-lathe-mm", "bench-lathe-inch")))
@settings(max_examples=40)
def test_a_lathe_setup_answered_with_anything_is_read_and_framed(values: dict[str, str], machine: str) -> None:
    lathe = Setup(
        machine=machine,
        values={**BAR, **values},
        steps=(Step(id="face", cycle="end_face"), Step(id="off", cycle="part_off")),
    )
    whole(
        Job(
            tools=LATHE_TOOLS,
            contours=CONTOURS,
            setups=(lathe, lathe.changed(values={**lathe.values, "stock_kind": "before"})),
        )
    )


@pytest.mark.parametrize("cycle", cycles().ids("mill"))
@given(data=st.data())
@settings(max_examples=15)
def test_a_step_answered_with_anything_is_read_and_drawn(cycle: str, data: st.DataObject) -> None:
    values = data.draw(typed(cycles()[cycle].fields))
    before = Step(id="before0", cycle="drill", values={"points": "30, 20", "diameter": "8.5", "depth": "9"})
    if cycle == "repeat":
        values["steps"] = data.draw(st.sampled_from(["before0", "", "gone"]))
    steps = (before, Step(id="it", cycle=cycle, values=values))
    whole(Job(tools=TOOLS, contours=CONTOURS, setups=(Setup(steps=steps, values=STOCK),)))


@given(values=typed(FIELDS), second=typed(FIELDS))
@settings(max_examples=60)
def test_a_setup_answered_with_anything_is_read_and_framed(values: dict[str, str], second: dict[str, str]) -> None:
    face = Step(id="face", cycle="face")
    job = Job(
        tools=TOOLS, setups=(Setup(values=values, steps=(face,)), Setup(values=second, steps=(face.changed(id="b"),)))
    )
    for index in (0, 1):
        whole(job, index)
        sentences(
            plan(job, index, moves=False).setup_answers.problems, {f.key for f in FIELDS} | {"machine", "material"}
        )


@pytest.mark.parametrize("kind", sorted(KINDS))
@given(data=st.data())
@settings(max_examples=15)
def test_a_tool_answered_with_anything_is_read(kind: str, data: st.DataObject) -> None:
    values: Mapping[str, str] = data.draw(typed(KINDS[kind].fields))
    tool = ToolRecord(number=data.draw(st.sampled_from([1, 2, 0, -4, 99999])), kind=kind, values=dict(values))
    job = Job(tools=(*TOOLS, tool), setups=(Setup(steps=(Step(id="face", cycle="face"),), values=STOCK),))
    whole(job)
    sentences(
        plan(job, moves=False).tool_answers[-1].problems, {f.key for f in KINDS[kind].fields} | {"number", "kind"}
    )


@given(values=typed(NAMED_FIELDS), more=typed(NAMED_FIELDS))
@settings(max_examples=60)
def test_a_pattern_answered_with_anything_is_read(values: dict[str, str], more: dict[str, str]) -> None:
    patterns = (
        PatternRecord(id="#a", name="a", values=values),
        PatternRecord(id="#b", name="b", values={**more, "source": "#a"}),
    )
    spot = Step(id="spot", cycle="drill", values={"pattern": "#b", "diameter": "6.8", "depth": "5"})
    job = Job(tools=TOOLS, patterns=patterns, setups=(Setup(steps=(spot,), values=STOCK),))
    whole(job)
    for answers in plan(job, moves=False).pattern_answers:
        sentences(answers.problems, {f.key for f in NAMED_FIELDS})


@given(values=typed(cycles()["pocket"].fields), setup=typed(FIELDS))
@settings(max_examples=12)
def test_what_can_be_planned_can_be_checked_and_drawn_as_dxf(values, setup, tmp_path_factory) -> None:  # type: ignore[no-untyped-def]
    good = Step(id="good", cycle="drill", values={"points": "30, 20", "diameter": "8.5", "depth": "9"})
    steps = (good, Step(id="it", cycle="pocket", values=values))
    job = Job(
        tools=TOOLS,
        setups=(
            Setup(
                steps=steps,
                values={**STOCK, **{k: t for k, t in setup.items() if k in ("held_in", "grip", "ledge", "anchor")}},
            ),
        ),
    )
    try:
        checked = Engine().check(Request(job, cell=1.0))
    except Unusable as error:
        assert str(error).endswith(".")
        return
    assert checked.report()["moves"] == len(checked.motion)
    assert write_dxf(plan(job), tmp_path_factory.mktemp("dxf") / "it.dxf") >= 8
