"""Machine profiles of the user's own: copied from a shipped one, edited as a form, kept as a TOML file.

Values are typed like everywhere; the file holds plain metric numbers, as the shipped profiles do.
"""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from bastler.core.fields import Answers, Field, Values, read
from bastler.core.graphs import machine_graph
from bastler.core.problems import Problem, Unusable
from bastler.core.quantities import Kind, Limits, evaluate, show
from bastler.core.tooling.coolant import WAYS
from bastler.core.tooling.machines import Lathe, Machine, machines
from bastler.core.tooling.own import OwnKind, quoted, write

SIZE = Limits(0, 20_000, low_open=True)
PLACE = Limits(-20_000, 20_000)
RATE = Limits(0, 100_000, low_open=True)
AXES = ("x", "y", "z")


def _mill(v: Values) -> bool:
    return bool(v.get("kind", "mill") == "mill")


def _lathe(v: Values) -> bool:
    return not _mill(v)


def _axis_fields(key: str, label: str, question: str, kind: Kind, limits: Limits) -> tuple[Field, ...]:
    return tuple(
        Field(
            f"{key}_{a}",
            f"{label} {a.upper()}",
            "Size",
            kind,
            f"{question} {a.upper()}?",
            limits=limits,
            shown=_mill if a == "y" else lambda _: True,
        )
        for a in AXES
    )


LATHE_FIELDS: tuple[Field, ...] = (
    Field("side", "Turret stands", "Place", Kind.CHOICE, "On which side of the axis does the turret stand?", "behind", choices=(("behind", "Behind"), ("front", "In front")), shown=_lathe),
    Field("carrier", "Tools sit in", "Place", Kind.CHOICE, "What carries the tools?", "turret", choices=(("turret", "A turret"), ("gang", "A slide, side by side")), shown=_lathe),
    Field("tailstock", "Tailstock", "Place", Kind.FLAG, "Does it have a tailstock?", "no", shown=_lathe),
    Field("chuck_diameter", "Chuck diameter", "Size", Kind.LENGTH, "What is the diameter of the chuck?", limits=SIZE, shown=_lathe),
    Field("chuck_length", "Chuck length", "Size", Kind.LENGTH, "How long is the chuck?", limits=SIZE, shown=_lathe),
    Field("largest_diameter", "Largest diameter", "Size", Kind.LENGTH, "What is the largest diameter it can turn?", limits=SIZE, shown=_lathe),
    Field("through", "Bar capacity", "Size", Kind.LENGTH, "What is the thickest bar that goes through the spindle?", limits=SIZE, shown=_lathe),
    Field("turret_x", "Changed at diameter", "Cut", Kind.LENGTH, "At what diameter are tools changed?", limits=SIZE, shown=_lathe),
    Field("turret_z", "Changed at Z", "Cut", Kind.LENGTH, "At what Z, from the part's zero, are tools changed?", limits=SIZE, shown=_lathe),
)  # fmt: skip


def fields(dialects: tuple[tuple[str, str], ...]) -> tuple[Field, ...]:
    """The form of a machine; ``dialects`` are the names and titles to choose from."""
    return (
        Field("kind", "Kind", "Place", Kind.CHOICE, "Is it a mill or a lathe?", "mill", choices=(("mill", "Mill"), ("lathe", "Lathe"))),
        Field("units", "Units", "Place", Kind.CHOICE, "What units does the machine's program use?", "mm", choices=(("mm", "mm"), ("inch", "inch"))),
        Field("dialect", "Dialect", "Place", Kind.CHOICE, "Which dialect of G-code does its control read?", "iso-mill", choices=dialects),
        *_axis_fields("travel", "Travel", "How far can the machine move along", Kind.LENGTH, SIZE),
        Field("nose_to_table", "Nose to table", "Size", Kind.LENGTH, "How far above the table is the spindle nose at the upper end of Z?", limits=SIZE, shown=_mill),
        *_axis_fields("rapid", "Rapid", "How fast is the rapid move along", Kind.FEED, RATE),
        *_axis_fields("acceleration", "Acceleration", "How fast does it speed up (mm/s²) along", Kind.NUMBER, RATE),
        Field("feed_limit", "Fastest feed", "Cut", Kind.FEED, "What is the fastest feed?", limits=RATE),
        Field("lowest", "Slowest spindle", "Cut", Kind.SPINDLE, "What is the lowest spindle speed?", limits=RATE),
        Field("highest", "Fastest spindle", "Cut", Kind.SPINDLE, "What is the highest spindle speed?", limits=RATE),
        Field("curve", "Power curve", "Cut", Kind.TEXT, "What does the spindle give: rev/min, kW, Nm; next row; …?"),
        Field("tool_change_s", "Tool change", "Cut", Kind.TIME, "How long does a tool change take?", limits=Limits(0, 600)),
        Field("change_x", "Changed at X", "Cut", Kind.LENGTH, "At what X, from machine zero, are tools changed (empty: where the table is)?", optional=True, limits=PLACE, shown=_mill),
        Field("change_y", "Changed at Y", "Cut", Kind.LENGTH, "At what Y, from machine zero, are tools changed (empty: where the table is)?", optional=True, limits=PLACE, shown=_mill),
        *LATHE_FIELDS,
        Field("pockets", "Pockets", "Cut", Kind.COUNT, "How many tools does the magazine hold?", "1", Limits(1, 500)),
        *(Field(f"has_{key}", f"Has {word.lower()}", "Cut", Kind.FLAG, f"Can it cool by {word.lower()}?", "yes" if key == "flood" else "no") for key, word in WAYS if key != "off"),
        Field("encoder", "Spindle encoder", "Cut", Kind.FLAG, "Does it know how the spindle stands, so that feeds and threads follow its turns?", "yes", shown=lambda v: not _mill(v)),
        Field("by_hand", "Speed by hand", "Cut", Kind.FLAG, "Is the spindle speed set by hand, with belts or a knob?", "no"),
        Field("probe", "Has a probe", "Cut", Kind.FLAG, "Does it have a probe to measure with?", "no"),
    )  # fmt: skip


def typed(machine: Machine) -> dict[str, str]:
    """A machine as typed texts, metric."""
    values = {"kind": machine.kind, "units": machine.units, "dialect": machine.dialect, "nose_to_table": show(machine.nose_to_table), "feed_limit": show(machine.feed_limit),
              "lowest": show(machine.lowest_speed), "highest": show(machine.highest_speed), "tool_change_s": show(machine.tool_change_s),
              "pockets": str(machine.pockets), "probe": "yes" if machine.probe else "no",
              "encoder": "yes" if machine.encoder else "no", "by_hand": "yes" if machine.by_hand else "no",
              **{f"has_{key}": "yes" if key in machine.coolants else "no" for key, _ in WAYS if key != "off"},
              "curve": "; ".join(f"{n:g}, {kw:g}, {nm:g}" for n, kw, nm in machine.curve)}  # fmt: skip
    for key, row in (("travel", machine.travel), ("rapid", machine.rapid), ("acceleration", machine.acceleration)):
        values |= {f"{key}_{a}": show(v) for a, v in zip(AXES, row, strict=True)}
    if machine.change_at is not None:
        values |= {"change_x": show(machine.change_at[0]), "change_y": show(machine.change_at[1])}
    if machine.lathe is not None:
        lathe = machine.lathe
        values |= {
            k: show(getattr(lathe, k)) for k in ("chuck_diameter", "chuck_length", "largest_diameter", "through")
        }
        values |= {"side": lathe.side, "carrier": lathe.carrier, "tailstock": "yes" if lathe.tailstock else "no"}
        values |= {"turret_x": show(lathe.change_x), "turret_z": show(lathe.change_z)}
    return values


def parse_curve(text: str) -> tuple[tuple[float, float, float], ...]:
    """Rows of rev/min, kW, Nm; raises :class:`Unusable` naming the row."""
    rows = []
    for number, part in enumerate(filter(None, (p.strip() for p in text.split(";"))), 1):
        words = [w.strip() for w in part.split(",")]
        if len(words) != 3:
            raise Unusable(f"Row {number} (“{part}”) needs rev/min, kW and Nm with commas between, as in 750, 2.2, 28.")
        rows.append(tuple(evaluate(w, Kind.NUMBER) for w in words))
    if len(rows) < 2:
        raise Unusable("The power curve needs two rows at least.")
    if any(a[0] >= b[0] for a, b in zip(rows, rows[1:], strict=False)):
        raise Unusable("The rows of the power curve must go from slow to fast.")
    return tuple(rows)  # type: ignore[arg-type]


def machine_of(
    machine_id: str, name: str, texts: Mapping[str, str], form: tuple[Field, ...]
) -> tuple[Machine | None, Answers]:
    """A machine from typed texts; ``None`` with what is missing or wrong."""
    answers = read(form, texts, None, "mm")
    problems, v = list(answers.problems), answers.values
    curve: tuple[tuple[float, float, float], ...] = ()
    try:
        curve = parse_curve(v.get("curve", ""))
    except Unusable as error:
        problems.append(Problem("curve", str(error)))
    if v.get("lowest", 0.0) >= v.get("highest", 1e9):
        problems.append(Problem("highest", "The fastest speed must be above the slowest."))
    if (v.get("change_x") is None) != (v.get("change_y") is None):
        problems.append(Problem("change_y", "Give both X and Y of the place where tools are changed, or none."))
    lathe_words = str(v.get("dialect", "")).startswith("iso-lathe")
    if v.get("dialect") and lathe_words != (v.get("kind") == "lathe"):
        other = "iso-lathe-a" if v.get("kind") == "lathe" else "iso-mill"
        problems.append(Problem("dialect", f"{v.dialect} is for the other kind of machine. Choose one like {other}."))
    answers = answers.with_problems(problems)
    if not answers.complete:
        return None, answers
    return _made(machine_id, name, v, curve), answers


def _made(machine_id: str, name: str, v: Values, curve: tuple[tuple[float, float, float], ...]) -> Machine:
    def axes(key: str) -> tuple[float, float, float]:
        x = v.get(f"{key}_x")
        return (x, v.get(f"{key}_y", 0.0 if key == "travel" else x), v.get(f"{key}_z"))

    lathe = None
    if v.kind == "lathe":
        lathe = Lathe(
            v.side,
            v.carrier,
            v.tailstock,
            v.chuck_diameter,
            v.chuck_length,
            v.largest_diameter,
            v.through,
            v.turret_x,
            v.turret_z,
        )

    return Machine(
        id=machine_id, name=name, kind=v.kind, units=v.units, dialect=v.dialect, travel=axes("travel"), rapid=axes("rapid"),
        acceleration=axes("acceleration"), feed_limit=v.feed_limit, lowest_speed=v.lowest, highest_speed=v.highest, curve=curve,
        tool_change_s=v.tool_change_s, nose_to_table=v.get("nose_to_table", 0.0), pockets=v.pockets, probe=v.probe,
        change_at=(v.change_x, v.change_y) if v.get("change_x") is not None else None,
        lathe=lathe, coolants=tuple(key for key, _ in WAYS if key != "off" and v.get(f"has_{key}")),
        encoder=v.get("encoder", True), by_hand=v.by_hand,
    )  # fmt: skip


def save(machine: Machine) -> Path:
    """Keep a profile as the user's own file; raises :class:`Unusable` in words."""

    def table(name: str, row: tuple[Any, ...]) -> list[str]:
        return [f"\n[{name}]", *(f"{a} = {float(v)!r}" for a, v in zip(AXES, row, strict=True))]

    lines = [
        "# Machine profile. Lengths mm, rates mm/min, accelerations mm/s2.", f"id = {quoted(machine.id)}", f"name = {quoted(machine.name)}",
        f"kind = {quoted(machine.kind)}", f"units = {quoted(machine.units)}", f"dialect = {quoted(machine.dialect)}", f"feed_limit = {machine.feed_limit!r}",
        f"tool_change_s = {machine.tool_change_s!r}", f"nose_to_table = {machine.nose_to_table!r}", f"pockets = {machine.pockets}",
        f"probe = {'true' if machine.probe else 'false'}", f"coolants = {list(machine.coolants)!r}".replace("'", '"'),
        f"encoder = {'true' if machine.encoder else 'false'}", f"by_hand = {'true' if machine.by_hand else 'false'}",
        *table("travel", machine.travel), *table("rapid", machine.rapid), *table("acceleration", machine.acceleration),
        *([] if machine.change_at is None else ["\n[change_at]", *(f"{a} = {float(p)!r}" for a, p in zip("xy", machine.change_at, strict=True))]),
        "\n[spindle]", f"lowest = {machine.lowest_speed!r}", f"highest = {machine.highest_speed!r}", f"curve = {[list(r) for r in machine.curve]!r}",
        *(_lathe_table(machine.lathe) if machine.lathe is not None else ()),
    ]  # fmt: skip
    return write("machines", machine.id, lines)


def _lathe_table(lathe: Lathe) -> list[str]:
    def text(value: Any) -> str:
        return (
            quoted(value)
            if isinstance(value, str)
            else str(value).lower()
            if isinstance(value, bool)
            else repr(float(value))
        )

    return ["\n[lathe]", *(f"{k} = {text(getattr(lathe, k))}" for k in Lathe.__struct_fields__)]


def own_machines(dialects: tuple[tuple[str, str], ...]) -> OwnKind:
    """Machine profiles as the user's own; ``dialects`` are the names and titles to choose from."""
    form = fields(dialects)
    return OwnKind(
        "machine",
        form,
        machines,
        typed,
        lambda key, name, texts: machine_of(key, name, texts, form),
        save,
        machine_graph,
    )
