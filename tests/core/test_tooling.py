"""Tools as geometry, kinds and their refusals, machines, materials, speeds, feeds and power."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from bastler.core.data import DATA
from bastler.core.geometry.underside import Profile, slope_of
from bastler.core.job.document import Job, Setup
from bastler.core.job.tooltable import read_tools
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects
from bastler.core.problems import Unusable
from bastler.core.tooling import ownmaterials, profileforms
from bastler.core.tooling.cuttingdata import WAYS, cutting_speed
from bastler.core.tooling.feeds import suggest_feed, suggest_milling_feed, suggest_speed
from bastler.core.tooling.kinds import KINDS, read_tool
from bastler.core.tooling.machines import machines, parse_machine
from bastler.core.tooling.materials import materials
from bastler.core.tooling.own import new_id
from bastler.core.tooling.power import available, cutting_force, drilling_power, milling_power, thinning
from bastler.core.tooling.tools import Tool
from bastler.core.verify import kernels
from tests.jobs import END_MILL, HOLE_TOOLS, TOOLS, plate

EVERY = {t.name: t for t in read_tools(plate(tools=(*TOOLS, *HOLE_TOOLS)))[0].values()}
STEEL, ALUMINIUM = materials()["S235"], materials()["AW-6082"]
SMALL, LARGE = machines()["small-mill-mm"], machines()["large-mill-mm"]

OLD = Path(__file__).with_name("oldmachines")


# profiles


@st.composite
def shapes(draw: st.DrawFn) -> Profile:
    radius = draw(st.floats(0.5, 20))
    if draw(st.booleans()):
        corner = draw(st.floats(0, radius))
        return Profile(radius, radius - corner, corner)
    flat = draw(st.floats(0, radius))
    tip = draw(st.sampled_from((0.0, 0.5, 1.0)))
    return Profile(
        radius, flat, 0.0, tip, tip * flat + draw(st.sampled_from((0.0, 1.5))), draw(st.sampled_from((0.0, 0.7, 2.0)))
    )


@given(shapes(), st.floats(0, 1))
def test_the_compiled_profile_is_the_same(p: Profile, share: float) -> None:
    d = share * p.radius
    compiled = kernels._profile.py_func(d, kernels.Shape(p.radius, p.flat, p.corner, p.slope, p.tip_slope, p.step))
    assert compiled == pytest.approx(p.height(d), abs=1e-9)
    assert p.height(np.array([d]))[0] == pytest.approx(p.height(d), abs=1e-12)


@given(shapes(), st.floats(0, 1))
def test_profiles_never_fall_outwards_and_know_their_radius(p: Profile, share: float) -> None:
    d = share * p.radius
    assert p.height(d) <= p.tip_length + 1e-9
    height = p.height(d)
    assert p.radius_at(height) >= d - 1e-6 or p.is_flat
    assert p.radius_at(p.tip_length + 1) == p.radius
    assert p.outline()[-1] == pytest.approx((p.radius, p.tip_length), abs=1e-6)


def test_points_by_their_angle() -> None:
    assert slope_of(90) == pytest.approx(1.0)
    assert slope_of(180) == 0.0
    drill = EVERY["drill 6.8"]
    assert drill.tip_length == pytest.approx(3.4 / math.tan(math.radians(59)))
    tap = EVERY["tap M8"]
    assert tap.tip_length == pytest.approx(3 * 1.25)
    assert tap.profile.flat == pytest.approx(4 - 0.6134 * 1.25)
    centre = EVERY["centre drill 2.5"]
    assert centre.profile.radius_at(3.1) == pytest.approx(1.25)
    assert centre.tip_length == pytest.approx(3.1 + (3.15 - 1.25) / math.tan(math.radians(30)))
    ball = Tool(1, "ball-mill", "ball", 6, 2, 10, 6, 20)
    assert ball.profile.height(1.5) == pytest.approx(3 - math.sqrt(9 - 2.25))
    taper = Tool(1, "taper-mill", "taper", 10, 3, 20, 10, 30, tip_diameter=4, side_angle=10)
    assert taper.tip_length == pytest.approx(3 / math.tan(math.radians(10)))


@pytest.mark.parametrize("name", sorted(EVERY))
def test_every_tool_is_a_closed_shape(name: str) -> None:
    tool = EVERY[name]
    outline = tool.silhouette()
    assert outline[0] == (0.0, 0.0)
    assert outline[-1] == (0.0, tool.gauge_length)
    heights = [z for _, z in outline]
    assert heights == sorted(heights)
    assert max(r for r, _ in outline) >= tool.radius


# kinds


@pytest.mark.parametrize("kind", sorted(k for k in KINDS if KINDS[k].machine != "lathe"))
def test_every_kind_asks_for_what_it_needs_and_reads_it(kind: str) -> None:
    tool, answers = read_tool(1, kind, "", {})
    assert tool is None
    assert answers.missing
    typed = {"diameter": "8", "flute_length": "26", "tip_diameter": "2", "side_angle": "12", "pilot_length": "2", "pitch": "1.25", "point_angle": "120",
             "smallest_bore": "7"}  # fmt: skip
    own = {f.key for f in KINDS[kind].fields}
    tool, answers = read_tool(1, kind, "", {k: v for k, v in typed.items() if k in own})
    assert answers.problems == ()
    assert tool is not None
    assert tool.name == KINDS[kind].word
    assert kind in WAYS


@pytest.mark.parametrize(
    ("kind", "typed", "field", "says"),
    [
        ("tap", {"thread": "M8", "flute_length": "2"}, "flute_length", "point alone is 3.75"),
        ("tap", {"diameter": "8", "pitch": "6", "flute_length": "20"}, "pitch", "too much for diameter 8"),
        ("tap", {"thread": "M8y", "flute_length": "20"}, "thread", "no thread that Bastler knows"),
        (
            "boring-bar",
            {"diameter": "20", "smallest_bore": "25", "flute_length": "3"},
            "smallest_bore",
            "can't be larger",
        ),
        (
            "countersink",
            {"diameter": "10", "tip_diameter": "12", "flute_length": "8"},
            "tip_diameter",
            "as thick as the tool",
        ),
        ("drill", {"diameter": "10", "flute_length": "2"}, "flute_length", "point alone"),
        (
            "end-mill",
            {"diameter": "10", "flute_length": "20", "shank_diameter": "60"},
            "shank_diameter",
            "thicker than the holder",
        ),
    ],
)
def test_impossible_tools_are_refused_at_the_field(kind: str, typed: dict[str, str], field: str, says: str) -> None:
    tool, answers = read_tool(1, kind, "", typed)
    assert tool is None
    flagged = [p for p in answers.problems if p.field == field]
    assert says in flagged[0].text


def test_a_tap_without_pitch_is_asked_for_it() -> None:
    _, answers = read_tool(1, "tap", "", {"diameter": "8", "flute_length": "20"})
    assert "pitch" in answers.missing
    tool, _ = read_tool(1, "tap", "", {"thread": "1/4-20 UNC", "flute_length": "1"}, "inch")
    assert tool is not None
    assert (tool.diameter, tool.pitch) == (pytest.approx(6.35), pytest.approx(1.27))
    assert tool.thread == "1/4-20 UNC"


# machines and materials


def test_fifteen_materials_of_every_group_and_three_machines() -> None:
    assert len(materials()) >= 15
    assert {m.group for m in materials().values()} == set("PMKNSH")
    for m in materials().values():
        assert m.vc_mill["carbide"] > m.vc_mill["hss"] > 0
        assert 0.1 < m.mc < 0.3
        assert 1.0 < m.density < 9.0
    assert {m.units for m in machines().values()} == {"mm", "inch"}
    assert LARGE.pockets == 24


@pytest.mark.parametrize("number", ["nan", "-5", "1e300"])
def test_a_profile_with_a_number_that_no_machine_has_is_left_out(number: str) -> None:
    """A file may be edited by hand: a travel that is no number must not reach the planner."""
    row = {"letter": "X", "travel": 100.0, "rapid": 5000.0, "acceleration": 900.0}
    sound = {"id": "x", "name": "x", "kind": "mill", "units": "mm", "dialect": "iso-mill", "feed_limit": 1000.0, "tool_change_s": 2.0,
             "axes": [row | {"letter": letter} for letter in "XYZ"], "spindles": [{"name": "main", "lowest": 50.0, "highest": 5000.0, "curve": [[50, 1, 9], [5000, 1, 2]]}]}  # fmt: skip
    assert parse_machine(sound).travel == (100.0, 100.0, 100.0)
    for key in ("travel", "rapid", "acceleration"):
        with pytest.raises(ValueError, match="Expected"):
            parse_machine(sound | {"axes": [row | {"letter": letter, key: float(number)} for letter in "XYZ"]})
    with pytest.raises(ValueError, match="Expected"):
        parse_machine(sound | {"feed_limit": float(number)})


@pytest.mark.parametrize("name", sorted(machines()))
def test_spindles_give_power_along_their_curve(name: str) -> None:
    machine = machines()[name]
    for speed, power, torque in machine.spindle.curve:
        assert machine.spindle.power(speed) == pytest.approx(power)
        assert machine.spindle.torque(speed) == pytest.approx(torque, rel=0.05)
        assert power == pytest.approx(torque * speed / 9549.3, rel=0.05), "the curve agrees with itself"
    between = (machine.spindle.curve[0][0] + machine.spindle.curve[1][0]) / 2
    assert machine.spindle.curve[0][1] < available(machine, between) <= machine.spindle.curve[1][1] + 1e-9
    assert available(machine, 1e6) <= machine.spindle.curve[-1][1] + 1e-9


# speeds, feeds, power


@pytest.mark.parametrize("name", sorted(EVERY))
@pytest.mark.parametrize("material", sorted(materials()))
def test_suggestions_stay_within_the_machine(name: str, material: str) -> None:
    tool, m = EVERY[name], materials()[material]
    speed = float(suggest_speed(tool, m, SMALL).text)
    assert SMALL.spindle.lowest <= speed <= SMALL.spindle.highest
    assert math.pi * tool.diameter * speed / 1000 <= max(
        cutting_speed(tool, m) * 1.001, math.pi * tool.diameter * SMALL.spindle.lowest / 1000
    )
    feed = suggest_feed(tool, m, SMALL, speed)
    assert 0 < float(feed.text) <= SMALL.feed_limit
    assert feed.reason


def test_the_force_falls_with_thicker_chips() -> None:
    assert cutting_force(STEEL, 1.0) == STEEL.kc11
    assert cutting_force(STEEL, 0.1) == pytest.approx(STEEL.kc11 * 0.1**-STEEL.mc)
    assert cutting_force(STEEL, 0.0) == cutting_force(STEEL, 0.003)


def test_milling_power_against_a_worked_example() -> None:
    """Face mill 50, 5 edges, C45-like steel: a_p 3, a_e 40, 1000/min, 1000 mm/min: h = 0.2 √0.8, about 4 to 5 kW."""
    tool = EVERY["face mill 50"]
    chip = 0.2 * math.sqrt(0.8)
    expected = 3 * 40 * 1000 * STEEL.kc11 * chip**-STEEL.mc / 60e6 / 0.8
    assert milling_power(tool, STEEL, 3, 40, 1000, 1000) == pytest.approx(expected)
    assert 4.0 < expected < 7.0
    assert milling_power(tool, ALUMINIUM, 3, 40, 1000, 1000) < expected / 2


def test_drilling_power_against_a_worked_example() -> None:
    """Drill 10 at 0.2 mm and 80 m/min in structural steel takes about 2.5 kW."""
    tool = Tool(1, "drill", "drill", 10, 2, 60, 10, 70, point_angle=118, material="carbide")
    speed = 80_000 / (math.pi * 10)
    assert 1.5 < drilling_power(tool, STEEL, speed, 0.2 * speed) < 3.5


def test_feeds_are_raised_for_thin_chips_and_held_to_the_power() -> None:
    tool = EVERY["end mill 10"]
    assert thinning(tool, 5.0) == pytest.approx(1.0)
    assert thinning(tool, 10.0) == pytest.approx(1.0)
    assert 1.2 < thinning(tool, 1.5) < 1.6
    assert thinning(tool, 0.01) == 2.5
    wide = suggest_milling_feed(tool, STEEL, LARGE, 4000, 3, 5)
    narrow = suggest_milling_feed(tool, STEEL, LARGE, 4000, 3, 1)
    assert float(narrow.text) > float(wide.text)
    assert "for the thin chip" in narrow.reason
    deep = suggest_milling_feed(EVERY["face mill 50"], STEEL, SMALL, 1100, 6, 40)
    assert "held to 80 % of the spindle's power" in deep.reason
    share = milling_power(EVERY["face mill 50"], STEEL, 6, 40, 1100, float(deep.text)) / available(SMALL, 1100)
    assert 0.5 < share <= 0.81


def test_more_power_than_there_is_becomes_a_finding() -> None:
    from bastler.core.engine import Engine
    from bastler.core.planner import plan
    from bastler.core.request import Request
    from tests.jobs import FACE, changed

    job = plate(changed(FACE, depth_per_pass="2", feed="3000"), over_top="2")
    one = plan(job).steps[0]
    share = one.cycle.power_share(one.answers.values, one.work)
    assert share is not None
    assert share > 1.0
    assert one.answers.complete, "it is told, not refused"
    kinds = {f.kind for f in Engine().check(Request(job, cell=1.0)).findings}
    assert "power" in kinds
    tap_tool, _ = read_tool(1, END_MILL.kind, "", END_MILL.values)
    assert tap_tool is not None


# own machine profiles


@pytest.mark.parametrize("name", sorted(machines()))
def test_a_profile_comes_back_from_its_file(name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    known = {n: d.machine for n, d in dialects().items()}
    form = profileforms.fields(tuple((n, n) for n in known))
    key = new_id('My "mill"', machines(), "machine")
    made, answers = profileforms.machine_of(key, 'My "mill"', profileforms.typed(machines()[name]), form, known)
    assert answers.complete
    assert made is not None
    assert made.id == "own-my-mill"
    assert replace(made, id=name, name=machines()[name].name) == machines()[name]
    path = profileforms.save(made)
    assert path.parent == tmp_path / "bastler" / "machines"
    assert machines()["own-my-mill"] == made
    assert new_id('My "mill"', machines(), "machine") == "own-my-mill-2"
    (path.parent / "broken.toml").write_text("id = ")
    assert "own-my-mill" in machines()


@pytest.mark.parametrize("file", sorted(OLD.glob("*.toml")), ids=lambda f: f.stem)
def test_a_profile_of_the_form_before_is_the_same_machine(
    file: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The user's own files, kept when a profile was one table for each of travels, rates and the spindle."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    folder = tmp_path / "bastler" / "machines"
    folder.mkdir(parents=True)
    (folder / "own-old.toml").write_text(file.read_text().replace(f'id = "{file.stem}"', 'id = "own-old"'))
    (folder / "own-odd.toml").write_text(file.read_text().replace('kind = "', 'kind = "no '))
    assert machines()["own-old"] == replace(machines()[file.stem], id="own-old")
    assert len(machines()) == len(list((DATA / "machines").glob("*.toml"))) + 1, "an unknown kind is left out"


@pytest.mark.parametrize("name", sorted(machines()))
def test_a_damaged_profile_is_left_out_or_works(name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Each line of a user's file taken out in turn: the other machines stay, and one that is taken can be planned on."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    folder, text = tmp_path / "bastler" / "machines", (DATA / "machines" / f"{name}.toml").read_text()
    folder.mkdir(parents=True)
    lines = text.replace(f'id = "{name}"', 'id = "own-x"').splitlines()
    for i in range(len(lines)):
        (folder / f"own-{i}.toml").write_text("\n".join([*lines[:i], *lines[i + 1 :]]))
        (folder / f"own-text-{i}.toml").write_text(
            "\n".join([*lines[:i], f'{lines[i].split(" = ")[0]} = "x"', *lines[i + 1 :]])
        )
    shipped = {f.stem for f in (DATA / "machines").glob("*.toml")}
    assert shipped <= set(machines())
    for own in {m.id: m for m in machines().values()}.values():
        planned = plan(Job(setups=(Setup(machine=own.id),)))
        assert planned.frame.machine == own
        assert own.spindle.power(500.0) >= 0
        assert len(own.travel) == len(own.rapid) == 3


@pytest.mark.parametrize("name", sorted(materials()))
def test_a_material_comes_back_from_its_file(name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    shipped = materials()[name]
    made, answers = ownmaterials.material_of("own-x", 'Bar "A"\\', ownmaterials.texts(shipped))
    assert answers.complete
    assert made == replace(shipped, id="own-x", name='Bar "A"\\')
    path = ownmaterials.save(made)
    assert path.parent == tmp_path / "bastler" / "materials"
    assert materials()["own-x"] == made
    (path.parent / "broken.toml").write_text("[own-y]\nname = 3\n")
    assert "own-x" in materials()
    assert "own-y" not in materials()


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("100, 1, 5", "two rows"),
        ("100, 1; 200, 1, 5", "Row 1"),
        ("200, 1, 5; 100, 1, 5", "slow to fast"),
        ("100, x, 5; 200, 1, 5", "can't be read"),
    ],
)
def test_power_curves_that_are_none(text: str, says: str) -> None:
    with pytest.raises(Unusable, match=says):
        profileforms.parse_curve(text)
