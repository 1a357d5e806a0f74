"""Threads against the values printed in their standards."""

from __future__ import annotations

import math
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bastler.core.problems import Unusable
from bastler.core.threads.threadforms import ALIKE_SHARE, ANGLES, deeper_for, depth_for, root_width
from bastler.core.threads.threadnames import find_thread
from bastler.core.threads.threadsizes import minor_tolerance_6h, screws, thread_of, threads

# ISO 724 basic minor diameters; ISO 965-2 largest minor diameter of 6H; ISO 2306 tap drills
METRIC = [
    ("M3", 0.5, 2.459, 2.599, 2.5), ("M4", 0.7, 3.242, 3.422, 3.3), ("M5", 0.8, 4.134, 4.334, 4.2),
    ("M6", 1.0, 4.917, 5.153, 5.0), ("M8", 1.25, 6.647, 6.912, 6.8), ("M10", 1.5, 8.376, 8.676, 8.5),
    ("M12", 1.75, 10.106, 10.441, 10.2), ("M16", 2.0, 13.835, 14.210, 14.0), ("M20", 2.5, 17.294, 17.744, 17.5),
    ("M24", 3.0, 20.752, 21.252, 21.0), ("M8x1", 1.0, 6.917, 7.153, 7.0), ("M10x1.25", 1.25, 8.647, 8.912, 8.8),
    ("M12x1.5", 1.5, 10.376, 10.676, 10.5), ("M20x1.5", 1.5, 18.376, 18.676, 18.5),
]  # fmt: skip
# ASME B1.1: minor diameters of class 2B in inches, smallest and largest
UNIFIED = [
    ("1/4-20 UNC", 0.196, 0.207), ("5/16-18 UNC", 0.252, 0.265), ("3/8-16 UNC", 0.307, 0.321), ("1/2-13 UNC", 0.417, 0.434),
    ("3/4-10 UNC", 0.642, 0.663), ("1/4-28 UNF", 0.211, 0.220), ("3/8-24 UNF", 0.330, 0.340), ("#10-24 UNC", 0.145, 0.156),
    ("#10-32 UNF", 0.156, 0.164), ("#8-32 UNC", 0.130, 0.139),
]  # fmt: skip
# ISO 228-1: major, minor
PIPE = [("G 1/8", 9.728, 8.566), ("G 1/4", 13.157, 11.445), ("G 3/8", 16.662, 14.950), ("G 1/2", 20.955, 18.631),
        ("G 3/4", 26.441, 24.117), ("G 1", 33.249, 30.291), ("G 1 1/4", 41.910, 38.952), ("G 2", 59.614, 56.656)]  # fmt: skip


@pytest.mark.parametrize(("name", "pitch", "minor", "widest", "drill"), METRIC)
def test_metric_threads(name: str, pitch: float, minor: float, widest: float, drill: float) -> None:
    thread = threads()[name]
    assert thread.pitch == pitch
    assert thread.minor == pytest.approx(minor, abs=0.0006)
    assert thread.widest_minor == pytest.approx(widest, abs=0.0006)
    assert thread.tap_drill == drill


@pytest.mark.parametrize(("name", "smallest", "largest"), UNIFIED)
def test_unified_threads(name: str, smallest: float, largest: float) -> None:
    thread = threads()[name]
    assert thread.minor / 25.4 == pytest.approx(smallest, abs=0.0011)
    assert thread.widest_minor / 25.4 == pytest.approx(largest, abs=0.0011)


@pytest.mark.parametrize(("name", "major", "minor"), PIPE)
def test_pipe_threads(name: str, major: float, minor: float) -> None:
    thread = threads()[name]
    assert thread.major == major
    assert thread.minor == pytest.approx(minor, abs=0.0011)


@pytest.mark.parametrize("name", sorted(threads()))
def test_every_tap_drill_leaves_a_thread(name: str) -> None:
    thread = threads()[name]
    assert thread.minor - 0.05 * thread.pitch <= thread.tap_drill <= thread.widest_minor + 0.06 * thread.pitch
    assert thread.tap_drill < thread.drill_for(forming=True) < thread.major


@pytest.mark.parametrize(
    ("typed", "name"),
    [("m6", "M6"), ("M 8 x 1", "M8x1"), ("M8×1.0", "M8x1"), ("M8x1.25", "M8"), ("1/4-20", "1/4-20 UNC"), ("1/4-28 unf", "1/4-28 UNF"),
     ("g1/4", "G 1/4"), ("M2,5", "M2.5"), ("M20", "M20"), ("M10x1", "M10x1")],
)  # fmt: skip
def test_names_as_people_type_them(typed: str, name: str) -> None:
    assert find_thread(typed).name == name


@given(st.text(max_size=12))
def test_any_other_name_is_refused_in_words(text: str) -> None:
    try:
        assert find_thread(text).pitch > 0
    except Unusable as error:
        assert "Near it" in str(error) or "Type it as" in str(error) or "Check both numbers" in str(error)


@pytest.mark.parametrize(
    ("typed", "name", "major", "pitch", "starts"),
    [
        ("M40x1.5", "M40x1.5", 40.0, 1.5, 1), ("m 24 x 1,75", "M24x1.75", 24.0, 1.75, 1), ("Tr24x5", "Tr 24x5", 24.0, 5.0, 1),
        ("TR 24 × 10 P5", "Tr 24x10P5", 24.0, 5.0, 2), ("Tr40x14(P7)", "Tr 40x14P7", 40.0, 7.0, 2),
        ("1 3/4-12 UN", "1 3/4-12 UN", 44.45, 25.4 / 12, 1), ("1.75-12", "1.75-12 UN", 44.45, 25.4 / 12, 1), ("9/16-24 unef", "9/16-24 UNEF", 14.2875, 25.4 / 24, 1),
    ],
)  # fmt: skip
def test_designations_that_no_table_lists(typed: str, name: str, major: float, pitch: float, starts: int) -> None:
    thread = find_thread(typed)
    assert (thread.name, thread.starts, thread.left) == (name, starts, False)
    assert (thread.major, thread.pitch) == (pytest.approx(major), pytest.approx(pitch))
    assert thread.minor < thread.widest_minor < thread.major
    left = find_thread(f"{typed} LH")
    assert left.left
    assert left.pitch == thread.pitch


@pytest.mark.parametrize(
    ("typed", "words"),
    [("M10x8", "a pitch of 8 mm doesn't go with a diameter of 10 mm"), ("M10x0", "a pitch of 0 mm"), ("Tr24x7P5", "no multiple of the pitch 5"), ("1/0-20", "is no thread")],
)  # fmt: skip
def test_designations_that_cannot_be(typed: str, words: str) -> None:
    with pytest.raises(Unusable, match=re.escape(words)):
        find_thread(typed)


@pytest.mark.parametrize("inside", [True, False])
@pytest.mark.parametrize("profile", ANGLES)
@given(pitch=st.floats(0.5, 12.0), share=st.floats(0.0, 1.0))
def test_whatever_the_point_the_flanks_are_in_their_place(
    profile: str, inside: bool, pitch: float, share: float
) -> None:
    """At the pitch line a thread's groove is half the pitch wide."""
    roots = root_width(profile, pitch, inside=inside)
    point = share * roots
    deep = depth_for(profile, pitch, inside=inside) + deeper_for(profile, pitch, point, inside=inside)
    to_line = {"pipe": 0.320164, "trapeze": 0.25, "metric": 0.216506 if inside else 0.324760}[profile] * pitch
    slope = math.tan(math.radians(ANGLES[profile] / 2))
    assert point + 2 * (deep - to_line) * slope == pytest.approx(pitch / 2, abs=ALIKE_SHARE * pitch + 1e-3)
    assert deeper_for(profile, pitch, roots, inside=inside) == 0


def test_roots_by_their_standards() -> None:
    assert root_width("metric", 6.0, inside=False) == pytest.approx(1.0, abs=1e-3)
    assert root_width("metric", 8.0, inside=True) == pytest.approx(1.0, abs=1e-3)
    assert root_width("trapeze", 5.0, inside=False) == pytest.approx(0.366 * 5 - 0.536 * 0.25, abs=1e-3)


def test_what_is_not_in_a_table() -> None:
    with pytest.raises(Unusable, match="Near it: M"):
        find_thread("M6.5")
    assert thread_of(6.0, 1.0).name == "M6"
    odd = thread_of(6.5, 0.8)
    assert odd.tap_drill == pytest.approx(5.7)
    assert minor_tolerance_6h(1.0) == pytest.approx(0.236)
    assert minor_tolerance_6h(0.9) == pytest.approx(0.214, abs=0.001)
    assert screws()["M6"].head_diameter == 11.0
