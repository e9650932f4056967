"""What is noted while a verdict is reached: it comes back through JSON and arrays as it was."""

import json

import numpy as np
import pytest

import veridex as vx
from conftest import portfolio
from veridex.core.backtest.minutes import Noted
from veridex.core.verdict.noting import Told, heard_of, noted, told_of
from veridex.core.verdict.skill import Kin, Said
from veridex.core.verdict.together import Seldom

ARRAYS = ("origins", "actuals", "points", "spread", "transforms", "weights", "supports", "claimed")


def through_a_file(kept):
    said = json.loads(json.dumps(kept.said))
    return Noted(said, {name: np.frombuffer(a.tobytes(), a.dtype).reshape(a.shape) for name, a in kept.arrays.items()})


@pytest.mark.parametrize("seldom", [None, Seldom("Ünit 7", np.arange(3).tobytes())])
def test_what_an_item_says_comes_back(seldom):
    times, rng = np.array([3, 9]), np.random.default_rng(0)
    said = {
        Kin(power, stage): Said(times + stage, rng.normal(size=(2, 4)), rng.random(2))
        for power, stage in ((1.0, 2), (2.0, 2), (1.0, 7))
    }
    found, own = heard_of(through_a_file(noted("Ünit 7", (said, seldom))))
    assert own == seldom and list(found) == list(said)
    for kin, one in said.items():
        for name in ("times", "logs", "counts"):
            assert np.array_equal(getattr(found[kin], name), getattr(one, name))
            assert getattr(found[kin], name).flags.writeable


def test_what_was_chosen_comes_back_with_all_that_bands_learn_from():
    verdict = vx.decide(vx.backtest(portfolio(4), ["theta", "seasonal-naive"], vx.RollingOrigin(horizon=3, origins=8)))
    kinds = set()
    for choice in verdict.choices.values():
        told = Told.of(choice)
        found = told_of(through_a_file(noted(choice.item, told)))
        assert (found.item, found.route, found.died) == (choice.item, choice.route, False)
        assert (found.learned is found.hindcast) == (told.learned is told.hindcast)
        kinds.add(told.learned is told.hindcast)
        for one, other in ((found.learned, told.learned), (found.hindcast, told.hindcast)):
            assert (one is None) == (other is None)
            if one is not None:
                assert (one.item, one.cycles, one.shifts) == (other.item, other.cycles, other.shifts)
                assert all(np.array_equal(getattr(one, n), getattr(other, n), equal_nan=True) for n in ARRAYS)
    assert kinds
    nothing = told_of(through_a_file(noted("a", Told("a", "retired", None, None, died=True))))
    assert nothing == Told("a", "retired", None, None, died=True)
