"""Random valid contours: hide facts, solve, and the original must be among the answers."""

from __future__ import annotations

import random

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from bastler.core.geometry.contour.facts import Contour
from bastler.core.geometry.contour.search import Memory, Result
from bastler.core.geometry.contour.solve import solve
from tests.core.contour.chains import (
    Chain,
    freedom,
    hidden,
    like,
    longest_run,
    random_chain,
    slots,
    without,
    worst_fact,
)

POINTS_MM = 1e-4
FACTS_MM = 1e-6
NEAR_MM = 0.2
PATIENT_S = 30.0
"""A slow machine must not make an answer wrong: the window waits less."""


def drawn(seed: int, most: int = 12) -> tuple[Chain, random.Random]:
    """A chain with as few facts as determine it."""
    rng = random.Random(seed)
    return hidden(random_chain(rng, rng.randint(2, most)), rng), rng


def has_original(chain: Chain, result: Result) -> bool:
    return any(all(like(m, chain.member(i), POINTS_MM) for i, m in enumerate(a.members)) for a in result.answers)


def check_original(seed: int, most: int = 12) -> None:
    """The original is among the answers, and every answer has every fact."""
    chain, _ = drawn(seed, most)
    result = solve(chain.contour(), longest_s=PATIENT_S)
    assert result.status == "solved", (seed, [t.text for t in result.troubles])
    assert has_original(chain, result) or result.more, seed
    assert max(worst_fact(chain, a.members) for a in result.answers) < FACTS_MM, seed


def check_one_less(seed: int, most: int = 8) -> bool:
    """One independent fact less leaves one missing; ``False`` if this chain can't tell."""
    chain, rng = drawn(seed, most)
    element, key = rng.choice(slots(chain))
    less = without(chain, element, key)
    if freedom(less) != (1, True) or longest_run(less) > 3:
        return False
    result = solve(less.contour(), longest_s=PATIENT_S)
    assert (result.status, result.missing) == ("open", 1), (seed, element, key, result.status, result.missing)
    assert result.loose
    assert result.troubles[0].text.startswith("One more fact")
    return True


def check_contradiction(seed: int, most: int = 8) -> bool:
    """One fact more that is wrong by a millimetre contradicts the rest."""
    rng = random.Random(seed)
    full = random_chain(rng, rng.randint(2, most))
    chain = hidden(full, rng)
    i = rng.randrange(len(chain.facts))
    free = [k for k in ("x", "y", "length", "radius", "cx", "cy") if k in full.facts[i] and k not in chain.facts[i]]
    if not free:
        return False
    key = rng.choice(free)
    before = solve(chain.contour(), longest_s=PATIENT_S)
    if before.more:
        return False
    wrong = max(full.facts[i][key], 0.0) + 1.0 if key in ("length", "radius") else full.facts[i][key] + 1.0
    values = [a.members[i].value(key) for a in before.answers]
    if any(abs(v - wrong) < NEAR_MM for v in values):
        return False  # so near to another answer it may be that one, rounded
    facts = [dict(f) for f in chain.facts]
    facts[i][key] = wrong
    result = solve(
        Chain(chain.joints, chain.centres, chain.sweeps, chain.smooth, False, facts, chain.start).contour(),
        longest_s=PATIENT_S,
    )
    assert result.status == "conflict", (seed, i, key, result.status)
    assert result.troubles
    return True


SEEDS = st.integers(0, 2**32 - 1)


@given(SEEDS)
@settings(max_examples=60)
def test_the_original_is_among_the_answers(seed: int) -> None:
    check_original(seed)


@pytest.mark.parametrize("seed", [53, 100735, 100753, 200226, 404908, 405024])
def test_contours_that_were_hard_once(seed: int) -> None:
    check_original(seed)


@given(SEEDS)
@settings(max_examples=40)
def test_one_fact_less_leaves_one_missing(seed: int) -> None:
    assume(check_one_less(seed))


@given(SEEDS)
@settings(max_examples=25)
def test_a_wrong_fact_contradicts(seed: int) -> None:
    assume(check_contradiction(seed))


@given(SEEDS)
@settings(max_examples=25)
def test_an_edit_solved_with_memory_is_the_same_as_anew(seed: int) -> None:
    chain, rng = drawn(seed)
    memory = Memory()
    solve(chain.contour(), memory=memory, longest_s=PATIENT_S)
    i = rng.randrange(len(chain.facts))
    assume(chain.facts[i])
    facts = [dict(f) for f in chain.facts]
    key = rng.choice(sorted(facts[i]))
    facts[i][key] += 0.37
    edited: Contour = Chain(
        chain.joints, chain.centres, chain.sweeps, chain.smooth, False, facts, chain.start
    ).contour()
    again, anew = solve(edited, memory=memory, longest_s=PATIENT_S), solve(edited, longest_s=PATIENT_S)
    assert (again.status, again.missing, len(again.answers)) == (anew.status, anew.missing, len(anew.answers))
    for a, b in zip(again.answers, anew.answers, strict=True):
        assert a.near(b)
