"""Materials of the user's own: copied from a shipped one, edited as a form, kept as a TOML file."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from bastler.core.fields import Answers, Field, read
from bastler.core.quantities import Kind, Limits, show
from bastler.core.tooling.curves import material_graph
from bastler.core.tooling.materials import Material, materials
from bastler.core.tooling.own import OwnKind, quoted, write

GROUPS = (("P", "P  steel"), ("M", "M  stainless"), ("K", "K  cast iron"), ("N", "N  non-ferrous"), ("S", "S  heat-resistant"), ("H", "H  hard"))  # fmt: skip
TOOL_MATERIALS = (("carbide", "carbide"), ("hss", "HSS"))
NUMBERS = ("kc11", "mc", "density", "fz_mill", "f_drill")


def _number(key: str, label: str, group: str, question: str, low: float, high: float) -> Field:
    return Field(key, label, group, Kind.NUMBER, question, limits=Limits(low, high, low_open=True))  # type: ignore[arg-type]


FIELDS: tuple[Field, ...] = (
    Field("group", "Group", "Place", Kind.CHOICE, "Which group of ISO 513 does it belong to?", "P", choices=GROUPS),
    _number("density", "Density, kg/dm³", "Place", "What is its density (kg/dm³)?", 0, 30),
    Field("source", "Source", "Place", Kind.TEXT, "Where do these values come from?", "my own"),
    _number("kc11", "kc1.1, N/mm²", "Size", "What is its specific cutting force for a chip of 1 mm × 1 mm (N/mm²)?", 0, 20_000),
    _number("mc", "Exponent mc", "Size", "With what exponent does that force rise for thinner chips?", 0, 0.9),
    *(_number(f"vc_mill_{key}", f"Mills of {word}", "Cut", f"At what speed do mills of {word} cut it (m/min)?", 0, 5_000) for key, word in TOOL_MATERIALS),
    *(_number(f"vc_drill_{key}", f"Drills of {word}", "Cut", f"At what speed do drills of {word} cut it (m/min)?", 0, 5_000) for key, word in TOOL_MATERIALS),
    _number("fz_mill", "Feed per tooth, × D", "Cut", "What share of its diameter does a mill feed per tooth?", 0, 0.1),
    _number("f_drill", "Feed per rev, × D", "Cut", "What share of its diameter does a drill feed per revolution?", 0, 0.2),
)  # fmt: skip


def texts(m: Material) -> dict[str, str]:
    """A material as typed texts."""
    values = {"group": m.group, "source": m.source, **{key: show(getattr(m, key), digits=5) for key in NUMBERS}}
    for key, _ in TOOL_MATERIALS:
        values |= {f"vc_mill_{key}": show(m.vc_mill[key]), f"vc_drill_{key}": show(m.vc_drill[key])}
    return values


def material_of(key: str, name: str, typed: Mapping[str, str]) -> tuple[Material | None, Answers]:
    """A material from typed texts; ``None`` with what is missing or wrong."""
    answers = read(FIELDS, typed, None, "mm")
    if not answers.complete:
        return None, answers
    v = answers.values
    speeds = {way: {k: v.get(f"vc_{way}_{k}") for k, _ in TOOL_MATERIALS} for way in ("mill", "drill")}
    made = Material(
        id=key, name=name, group=v.group, vc_mill=speeds["mill"], vc_drill=speeds["drill"], source=v.source,
        **{number: v.get(number) for number in NUMBERS},
    )  # fmt: skip
    return made, answers


def save(m: Material) -> Path:
    """Keep a material as the user's own file; raises :class:`Unusable` in words."""

    def speeds(table: Mapping[str, float]) -> str:
        return "{ " + ", ".join(f"{k} = {float(v)!r}" for k, v in table.items()) + " }"

    lines = [
        "# Workpiece material. kc11 N/mm2, density kg/dm3, vc m/min, feeds as shares of the tool's diameter.", f"[{m.id}]",
        f"name = {quoted(m.name)}", f"group = {quoted(m.group)}", f"source = {quoted(m.source)}",
        *(f"{key} = {float(getattr(m, key))!r}" for key in NUMBERS),
        f"vc_mill = {speeds(m.vc_mill)}", f"vc_drill = {speeds(m.vc_drill)}",
    ]  # fmt: skip
    return write("materials", m.id, lines)


OWN_MATERIALS = OwnKind("material", FIELDS, materials, texts, material_of, save, material_graph)
