"""The check: each mistake of a milling day gives its finding, at its line and step, with the remedy."""

from __future__ import annotations

import pytest

from bastler.core.checked import Checked
from bastler.core.engine import Engine, check_text_only
from bastler.core.job.document import Job
from bastler.core.request import Cancelled, Request
from bastler.core.tooling.machines import machines
from tests.jobs import BOLTS, CORNERS, DRILL_68, DRILL_85, END_MILL, FACE, FACE_MILL, LEFT, RIGHT, changed, plate

CELL = 0.5


def check(job: Job, text: str | None = None) -> Checked:
    return Engine().check(Request(job, text=text.encode() if text is not None else None, cell=CELL))


def by_kind(checked: Checked) -> dict:  # type: ignore[type-arg]
    return {f.kind: f for f in reversed(checked.findings)}


def posted(job: Job) -> str:
    return check(job).program.text


@pytest.fixture(scope="module")
def whole() -> Checked:
    return check(plate())


def test_the_pressure_plate_has_no_finding(whole: Checked) -> None:
    assert whole.findings == ()
    report = whole.report()
    assert [s["id"] for s in report["steps"]] == ["face", "left", "right", "bolts", "corners"]
    assert report["time_s"]["total"] == pytest.approx(
        sum(report["time_s"][k] for k in ("cutting", "rapid", "tool_change"))
    )
    removed = sum(s["removed_mm3"] for s in report["steps"])
    assert removed == pytest.approx(
        report["stock"]["volume_before_mm3"] - report["stock"]["volume_after_mm3"], rel=1e-4
    )
    exact = 60 * 40 * 12 - (4 - 3.141592653589793) * 36 * 12
    assert report["steps"][1]["removed_mm3"] == pytest.approx(exact, rel=0.005)


def test_a_face_as_small_as_the_part_leaves_a_strip() -> None:
    face = changed(FACE, area="rectangle", centre_x="100", centre_y="60", length="200", width="120")
    found = by_kind(check(plate(face)))["left-standing"]
    assert found.severity == "warn"
    assert found.step == "face"
    assert "Up to 2 mm" in found.text
    assert "204 × 124" in found.text


def test_a_rapid_through_metal() -> None:
    text = posted(plate(FACE, LEFT)).replace("G43 H2 Z22.", "G43 H2 Z-3.")
    found = by_kind(check(plate(FACE, LEFT), text))["rapid-in-stock"]
    assert found.severity == "stop"
    assert text.splitlines()[found.line - 1].endswith("Z-3.")
    assert found.step == "left"
    assert "3 mm deep" in found.text
    assert "Stop it above Z 0" in found.text


def test_a_gouge_against_the_finished_shape() -> None:
    text = posted(plate(FACE, LEFT)).replace("Z-12.", "Z-12.4")
    found = by_kind(check(plate(FACE, LEFT), text))["gouge"]
    assert "0.4 mm deeper" in found.text
    assert found.step == "left"


def test_metal_left_in_a_pocket() -> None:
    text = posted(plate(FACE, LEFT)).replace("Z-12.", "Z-11.8")
    found = by_kind(check(plate(FACE, LEFT), text))["left-standing"]
    assert "0.2 mm" in found.text
    assert found.step == "left"


def test_a_full_depth_cut_is_flagged() -> None:
    deep = by_kind(check(plate(FACE, changed(LEFT, depth_per_pass="17", depth="17", clear_by="loops"))))["depth-of-cut"]
    assert deep.severity == "warn"
    assert "1.5 diameters" in deep.text
    text = "T2 M6\nG43 H2 G0 X40. Y40. Z5.\nS1000 M3\nG1 Z-21. F50\nX60.\nM30\n"
    stop = by_kind(
        check(plate(tools=(FACE_MILL, END_MILL.changed(values={**END_MILL.values, "flute_length": "15"}))), text)
    )
    assert stop["depth-of-cut"].severity == "stop"
    assert "its flutes are 15 mm" in stop["depth-of-cut"].text


def test_shank_and_holder_in_metal() -> None:
    short = END_MILL.changed(values={"diameter": "10", "flute_length": "8", "stick_out": "12", "holder": "30 x 20"})
    text = "T2 M6\nG43 H2 G0 X40. Y40. Z5.\nS1000 M3\nG1 Z-7. F50\nX60.\nZ-14.\nX40.\nM30\n"
    found = by_kind(check(plate(tools=(FACE_MILL, short)), text))["shank-contact"]
    assert "holder of T2" in found.text
    assert "Clamp it 4 mm longer" in found.text
    thick = END_MILL.changed(values={"diameter": "10", "flute_length": "8", "stick_out": "32", "shank_diameter": "16"})
    found = by_kind(check(plate(tools=(FACE_MILL, thick)), text))["shank-contact"]
    assert "shank of T2" in found.text


def test_a_drill_deeper_than_its_flutes() -> None:
    short = DRILL_85.changed(number=4, values={"diameter": "8.5", "flute_length": "15", "stick_out": "80"})
    text = posted(plate(FACE, CORNERS))
    found = by_kind(check(plate(FACE, tools=(FACE_MILL, END_MILL, DRILL_68, short)), text))["depth-of-cut"]
    assert "deeper than its flutes" in found.text


def test_the_vise_is_in_the_way() -> None:
    found = by_kind(check(plate(grip="21.5", jaws_along="x")))["fixture-contact"]
    assert found.severity == "stop"
    assert "jaw" in found.text
    assert "let the jaws hold less" in found.text
    assert found.step == "face"
    text = posted(plate(FACE, CORNERS)).replace("G99 G81 X12. Y12.", "G99 G81 X100. Y60.").replace("Z-23.554", "Z-75.")
    bed = by_kind(check(plate(FACE, CORNERS), text))["fixture-contact"]
    assert "bed" in bed.text


def test_machine_limits() -> None:
    found = by_kind(check(plate(FACE, changed(LEFT, speed="9000", feed="7000"))))
    assert "9000 /min is outside" in next(f.text for f in check(plate(FACE, changed(LEFT, speed="9000"))).findings)
    assert found["speed-limit"].severity == "warn"
    wide = plate(FACE, size_x="380")
    assert "X leaves the travel" in by_kind(check(wide))["overtravel"].text


@pytest.mark.parametrize(
    ("old", "new", "kind"),
    [("M3", "M5", "spindle-off"), (" F1", " (", "no-feed"), ("T2 M6", "T8 M6", "unknown-tool"), ("G81", "G87", "unknown-word"),
     ("G43 H2", "G43 H3", "wrong-offset"), ("G54", "G55", "work-offset")],
)  # fmt: skip
def test_slips_in_a_text(old: str, new: str, kind: str) -> None:
    text = posted(plate(FACE, LEFT, BOLTS)).replace(old, new)
    if kind == "no-feed":
        text = "\n".join(line.split(" F")[0] if "G1" in line else line for line in posted(plate(FACE)).splitlines())
    found = by_kind(check(plate(FACE, LEFT, BOLTS), text))
    assert found[kind].severity == "stop"
    assert found[kind].line


def test_edited_text_keeps_the_steps_of_the_lines_it_shares() -> None:
    text = posted(plate(FACE, LEFT)).replace("N30 ", "N30  ")
    checked = check(plate(FACE, LEFT), text)
    assert set(checked.step_of_move.tolist()) == {-1, 0, 1}


def test_the_stock_at_any_moment() -> None:
    engine = Engine()
    checked = engine.check(Request(plate(), cell=CELL))
    last = len(checked.motion) - 1
    heights, _ = engine.stock_at(last, 1.0)
    assert (heights == checked.field.heights).all()
    first, owner = engine.stock_at(0, 0.0)
    assert first.min() == first.max()
    assert owner.max() == -1
    volumes = [float(engine.stock_at(m, s)[0].sum()) for m in range(0, last, 37) for s in (0.25, 0.75)]
    assert volumes == sorted(volumes, reverse=True)


def test_a_check_can_be_cancelled_and_reports_progress() -> None:
    seen: list[float] = []
    Engine().check(Request(plate(), cell=CELL), seen.append)
    assert seen == sorted(seen)
    assert seen[-1] == 1.0
    with pytest.raises(Cancelled):
        Engine().check(Request(plate(), cell=CELL), cancelled=lambda: True)


def test_a_text_without_a_job_is_read_and_timed() -> None:
    report = check_text_only(b"G21 G90\nS1000 M3\nG1 X100. F600\nM30\n", "x.nc")
    assert report["findings"][-1]["kind"] == "no-job"
    assert report["time_s"]["cutting"] > 10


def test_times_follow_the_profile() -> None:
    machine = machines()["small-mill-mm"]
    text = "S1000 M3\nG0 X0. Y0. Z0.\nG1 X100. F600\nG4 P2000\nM30\n"
    checked = check(plate(FACE), text)
    assert machine.acceleration[0] == 1500
    cut = checked.times[checked.motion.kind == 1][0]
    assert cut == pytest.approx(100 / 10 + 10 / 1500, rel=1e-6)  # v = 10 mm/s, one ramp up and one down
    assert checked.times[checked.motion.kind == 3][0] == 2.0


def test_a_sharp_corner_costs_time_and_a_smooth_one_does_not() -> None:
    smooth = check(plate(FACE), "S1000 M3\nG0 X0. Y0. Z9.\nG1 X50. F3000\nX100.\nM30\n").times.sum()
    sharp = check(plate(FACE), "S1000 M3\nG0 X0. Y0. Z9.\nG1 X50. F3000\nX0.\nM30\n").times.sum()
    whole = check(plate(FACE), "S1000 M3\nG0 X0. Y0. Z9.\nG1 X100. F3000\nM30\n").times.sum()
    assert smooth == pytest.approx(whole, abs=1e-9)
    assert sharp > smooth + 0.02


def test_a_part_of_round_pockets_stays_inside_tolerances_with_control_compensation() -> None:
    assert check(plate(FACE, changed(RIGHT, compensation="control", angle="33", leave_walls="0.3"))).findings == ()
