"""Machine profiles of the user's own: copied from a shipped one, edited as a form, kept as a TOML file.

Values are typed like everywhere; the file holds plain metric numbers, as the shipped profiles do.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path

from msgspec import Struct

from bastler.core.fields import Answers, Field, Values, read
from bastler.core.problems import Problem, Unusable
from bastler.core.quantities import Kind, Limits, evaluate, show
from bastler.core.tooling.coolant import WAYS
from bastler.core.tooling.curves import machine_graph
from bastler.core.tooling.machines import Axis, Chuck, Curve, Machine, Spindle, Turret, machines
from bastler.core.tooling.own import OwnKind, quoted, write

SIZE = Limits(0, 20_000, low_open=True)
PLACE = Limits(-20_000, 20_000)
RATE = Limits(0, 100_000, low_open=True)
AXES = ("x", "y", "z")
FULL_TURN = 360.0
CHUCK_FIELDS = {
    "diameter": "chuck_diameter",
    "length": "chuck_length",
    "largest": "largest_diameter",
    "through": "through",
}
"""Fields of the form by what they are of the chuck."""


def _mill(v: Values) -> bool:
    return bool(v.get("kind", "mill") == "mill")


def _lathe(v: Values) -> bool:
    return not _mill(v)


def _drives(v: Values) -> bool:
    return _lathe(v) and v.get("drives") is True


def _has_y(v: Values) -> bool:
    return _mill(v) or (_drives(v) and v.get("has_y") is True)


def _axis_fields(key: str, label: str, question: str, kind: Kind, limits: Limits) -> tuple[Field, ...]:
    return tuple(
        Field(
            f"{key}_{a}",
            f"{label} {a.upper()}",
            "Size",
            kind,
            f"{question} {a.upper()}?",
            limits=limits,
            shown=_has_y if a == "y" else lambda _: True,
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
DRIVEN_FIELDS: tuple[Field, ...] = (
    Field("disc_width", "Width of the disc", "Size", Kind.LENGTH, "How wide is the turret's disc along Z, in whose middle tools sit that point to the axis (0: not known)?", "0", Limits(0, 2000), shown=_drives),
    Field("beyond", "X past the axis", "Size", Kind.LENGTH, "How far does X go past the axis of the spindle (empty: not known)?", optional=True, limits=Limits(0, 5000), shown=_drives),
    Field("brake", "Brake of C", "Place", Kind.FLAG, "Can a brake hold the spindle as an axis?", "no", shown=_drives),
    Field("rapid_c", "Rapid C", "Cut", Kind.NUMBER, "How fast does the spindle turn as an axis, degrees a minute?", limits=Limits(0, 10_000_000, low_open=True), shown=_drives),
    Field("acceleration_c", "Acceleration C", "Cut", Kind.NUMBER, "How fast does it speed up as an axis, degrees/s²?", limits=Limits(0, 10_000_000, low_open=True), shown=_drives),
    Field("driven_lowest", "Slowest driven tool", "Cut", Kind.SPINDLE, "What is the lowest speed of driven tools?", limits=RATE, shown=_drives),
    Field("driven_highest", "Fastest driven tool", "Cut", Kind.SPINDLE, "What is the highest speed of driven tools?", limits=RATE, shown=_drives),
    Field("driven_curve", "Power of driven tools", "Cut", Kind.TEXT, "What do driven tools get: rev/min, kW, Nm; next row; …?", shown=_drives),
)  # fmt: skip


def fields(dialects: tuple[tuple[str, str], ...]) -> tuple[Field, ...]:
    """The form of a machine; ``dialects`` are the names and titles to choose from."""
    return (
        Field("kind", "Kind", "Place", Kind.CHOICE, "Is it a mill or a lathe?", "mill", choices=(("mill", "Mill"), ("lathe", "Lathe"))),
        Field("units", "Units", "Place", Kind.CHOICE, "What units does the machine's program use?", "mm", choices=(("mm", "mm"), ("inch", "inch"))),
        Field("dialect", "Dialect", "Place", Kind.CHOICE, "Which dialect of G-code does its control read?", "iso-mill", choices=dialects),
        Field("drives", "Drives tools", "Place", Kind.FLAG, "Does its turret turn tools, with the spindle as the axis C?", "no", shown=_lathe),
        Field("has_y", "Has a Y axis", "Place", Kind.FLAG, "Does its turret go along Y?", "no", shown=_drives),
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
        *DRIVEN_FIELDS,
        Field("pockets", "Pockets", "Cut", Kind.COUNT, "How many tools does the magazine hold?", "1", Limits(1, 500)),
        *(Field(f"has_{key}", f"Has {word.lower()}", "Cut", Kind.FLAG, f"Can it cool by {word.lower()}?", "yes" if key == "flood" else "no") for key, word in WAYS if key != "off"),
        Field("encoder", "Spindle encoder", "Cut", Kind.FLAG, "Does it know how the spindle stands, so that feeds and threads follow its turns?", "yes", shown=lambda v: not _mill(v)),
        Field("by_hand", "Speed by hand", "Cut", Kind.FLAG, "Is the spindle speed set by hand, with belts or a knob?", "no"),
    )  # fmt: skip


def typed(machine: Machine) -> dict[str, str]:
    """A machine as typed texts, metric."""
    spindle = machine.spindle
    values = {"kind": machine.kind, "units": machine.units, "dialect": machine.dialect, "nose_to_table": show(machine.nose_to_table), "feed_limit": show(machine.feed_limit),
              "lowest": show(spindle.lowest), "highest": show(spindle.highest), "tool_change_s": show(machine.tool_change_s),
              "pockets": str(machine.pockets), "encoder": _said(spindle.encoder), "by_hand": _said(spindle.by_hand),
              **{f"has_{key}": "yes" if key in machine.coolants else "no" for key, _ in WAYS if key != "off"},
              "curve": _rows_of(spindle.curve)}  # fmt: skip
    for key, row in (("travel", machine.travel), ("rapid", machine.rapid), ("acceleration", machine.acceleration)):
        values |= {f"{key}_{a}": show(v) for a, v in zip(AXES, row, strict=True)}
    if machine.change_at is not None:
        values |= {"change_x": show(machine.change_at[0]), "change_y": show(machine.change_at[1])}
    if spindle.chuck is not None:
        values |= {field: show(getattr(spindle.chuck, key)) for key, field in CHUCK_FIELDS.items()}
    if machine.carries is not None:
        turret = machine.carries
        values |= {"side": turret.side, "carrier": turret.carrier, "tailstock": _said(turret.tailstock)}
        values |= {
            "turret_x": show(turret.change_x),
            "turret_z": show(turret.change_z),
            "disc_width": show(turret.disc_width),
        }
    return values | _typed_driven(machine)


def _typed_driven(machine: Machine) -> dict[str, str]:
    """What a machine that drives tools has besides."""
    turns, driven, x = machine.axis("C"), machine.driven, machine.axis("X")
    if turns is None or driven is None:
        return {}
    values = {
        "drives": "yes",
        "has_y": _said(machine.axis("Y") is not None),
        "brake": _said(turns.brake),
        "rapid_c": show(turns.rapid),
        "acceleration_c": show(turns.acceleration),
    }
    values |= {
        "driven_lowest": show(driven.lowest),
        "driven_highest": show(driven.highest),
        "driven_curve": _rows_of(driven.curve),
    }
    return values | ({"beyond": show(x.beyond)} if x is not None and x.beyond is not None else {})


def _rows_of(curve: Curve) -> str:
    return "; ".join(f"{n:g}, {kw:g}, {nm:g}" for n, kw, nm in curve)


def _said(flag: bool) -> str:
    return "yes" if flag else "no"


def parse_curve(text: str) -> tuple[tuple[float, float, float], ...]:
    """Rows of rev/min, kW, Nm; raises :class:`Unusable` naming the row."""
    rows: list[tuple[float, float, float]] = []
    for number, part in enumerate(filter(None, (p.strip() for p in text.split(";"))), 1):
        words = [w.strip() for w in part.split(",")]
        if len(words) != 3:
            raise Unusable(f"Row {number} (“{part}”) needs rev/min, kW and Nm with commas between, as in 750, 2.2, 28.")
        speed, power, torque = (evaluate(w, Kind.NUMBER) for w in words)
        rows.append((speed, power, torque))
    if len(rows) < 2:
        raise Unusable("The power curve needs two rows at least.")
    if any(a[0] >= b[0] for a, b in zip(rows, rows[1:], strict=False)):
        raise Unusable("The rows of the power curve must go from slow to fast.")
    return tuple(rows)


def machine_of(
    machine_id: str, name: str, texts: Mapping[str, str], form: tuple[Field, ...], known: Mapping[str, str]
) -> tuple[Machine | None, Answers]:
    """A machine from typed texts; ``None`` with what is missing or wrong. ``known``: the kind of machine of each dialect."""
    answers = read(form, texts, None, "mm")
    problems, v = list(answers.problems), answers.values
    curves: dict[str, Curve] = {}
    for before in ("", "driven_") if v.get("drives") else ("",):
        try:
            curves[before] = parse_curve(v.get(f"{before}curve", ""))
        except Unusable as error:
            problems.append(Problem(f"{before}curve", str(error)))
        if v.get(f"{before}lowest", 0.0) >= v.get(f"{before}highest", 1e9):
            problems.append(Problem(f"{before}highest", "The fastest speed must be above the slowest."))
    if (v.get("change_x") is None) != (v.get("change_y") is None):
        problems.append(Problem("change_y", "Give both X and Y of the place where tools are changed, or none."))
    dialect = known.get(v.get("dialect", ""))
    if dialect is not None and dialect != v.get("kind"):
        other = min((name for name, kind in known.items() if kind == v.kind), key=len)
        problems.append(Problem("dialect", f"{v.dialect} is for the other kind of machine. Choose one like {other}."))
    answers = answers.with_problems(problems)
    if not answers.complete:
        return None, answers
    return _made(machine_id, name, v, curves), answers


def _made(machine_id: str, name: str, v: Values, curves: Mapping[str, Curve]) -> Machine:
    turned = v.get("chuck_diameter") is not None
    axes = [
        Axis(
            a.upper(),
            v.get(f"travel_{a}"),
            v.get(f"rapid_{a}"),
            v.get(f"acceleration_{a}"),
            beyond=v.get("beyond") if a == "x" else None,
        )
        for a in AXES
        if v.get(f"travel_{a}") is not None
    ]
    chuck = Chuck(**{key: v.get(field) for key, field in CHUCK_FIELDS.items()}) if turned else None
    spindles = [Spindle("main", v.lowest, v.highest, curves[""], v.get("encoder", True), v.by_hand, chuck)]
    if v.get("drives"):
        axes.append(Axis("C", FULL_TURN, v.rapid_c, v.acceleration_c, rotary=True, brake=v.brake))
        spindles.append(Spindle("driven", v.driven_lowest, v.driven_highest, curves["driven_"]))
    return Machine(
        machine_id, name, v.kind, v.units, v.dialect, tuple(axes), tuple(spindles), v.feed_limit, v.tool_change_s, v.get("nose_to_table", 0.0), v.pockets,
        (v.change_x, v.change_y) if v.get("change_x") is not None else None,
        Turret(v.side, v.carrier, v.tailstock, v.turret_x, v.turret_z, v.get("disc_width", 0.0)) if turned else None,
        tuple(key for key, _ in WAYS if key != "off" and v.get(f"has_{key}")),
    )  # fmt: skip


def save(machine: Machine) -> Path:
    """Keep a profile as the user's own file; raises :class:`Unusable` in words."""
    plain = (
        "id",
        "name",
        "kind",
        "units",
        "dialect",
        "feed_limit",
        "tool_change_s",
        "nose_to_table",
        "pockets",
        "coolants",
    )
    lines = ["# Machine profile. Lengths mm, rates mm/min, accelerations mm/s2.", *_rows(machine, plain)]
    for axis in machine.axes:
        lines += ["\n[[axes]]", *_rows(axis, Axis.__struct_fields__)]
    for spindle in machine.spindles:
        lines += ["\n[[spindles]]", *_rows(spindle, [k for k in Spindle.__struct_fields__ if k != "chuck"])]
        if spindle.chuck is not None:
            lines += ["[spindles.chuck]", *_rows(spindle.chuck, Chuck.__struct_fields__)]
    if machine.carries is not None:
        lines += ["\n[turret]", *_rows(machine.carries, Turret.__struct_fields__)]
    if machine.change_at is not None:
        lines += ["\n[change_at]", *(f"{a} = {_toml(float(p))}" for a, p in zip("xy", machine.change_at, strict=True))]
    return write("machines", machine.id, lines)


def _rows(of: Struct, keys: Iterable[str]) -> list[str]:
    return [f"{key} = {_toml(value)}" for key in keys if (value := getattr(of, key)) is not None]


def _toml(value: object) -> str:
    """A text, a flag, a number, or rows of them."""
    if isinstance(value, str):
        return quoted(value)
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, tuple):
        return f"[{', '.join(map(_toml, value))}]"
    return repr(value)


def own_machines(known: Mapping[str, str]) -> OwnKind:
    """Machine profiles as the user's own; ``known``: the kind of machine of each dialect."""
    form = fields(tuple((name, name) for name in known))
    return OwnKind(
        "machine",
        form,
        machines,
        typed,
        lambda key, name, texts: machine_of(key, name, texts, form, known),
        save,
        machine_graph,
    )
