"""The rule `single`: the method with the lowest error, provided it beats the benchmark."""

from collections.abc import Callable, Sequence

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.methods.method import Method
from veridex.core.scoring.levels import level_label
from veridex.core.verdict.evidence import Entry, ItemEvidence
from veridex.errors import ParameterError

__all__ = ["Rule", "benchmark_of", "choose_by_rule", "choose_single"]

Rule = Callable[[pd.DataFrame], str]
"""A planner's own rule: from the table of an item's methods to the text of one of them."""


def benchmark_of(evidence: ItemEvidence, benchmarks: tuple[Method, ...]) -> Entry | None:
    """The first of the benchmarks that was tested on every cell."""
    entries = (evidence.entry(one) for one in benchmarks)
    return next((entry for entry in entries if entry is not None and not entry.missing), None)


def choose_single(
    rivals: Sequence[Entry],
    benchmark: Entry | None,
    drawn: FloatArray | None = None,
    *,
    simplest: bool = False,
) -> Entry | None:
    """Choose the lowest error among those that beat the benchmark; ties go to fewer parameters, then to the order.

    Parameters
    ----------
    rivals : sequence of Entry
        The methods that compete, all tested.
    benchmark : Entry or None
        Chosen where nothing beats it.
    drawn : ndarray, shape (rivals,), optional
        Logs of their errors drawn towards the portfolio's, which rank them instead of the errors; the benchmark, where
        it competes, among them.
    simplest : bool
        Take the one with the fewest parameters among those within one standard error of the lowest error.
    """
    ranks = [entry.error for entry in rivals] if drawn is None else drawn.tolist()
    ranked = list(zip(ranks, rivals, strict=True))
    base = next((rank for rank, entry in ranked if benchmark is not None and entry.method == benchmark.method), None)
    if base is None and benchmark is not None:  # it does not compete: it is held against the errors themselves
        better = [(rank, entry) for rank, entry in ranked if entry.error < benchmark.error]
    else:
        better = [(rank, entry) for rank, entry in ranked if base is None or rank < base]
    if not better:
        return benchmark
    _, best = min(better, key=lambda pair: (pair[0], pair[1].error, pair[1].parameters))
    if simplest and not np.isnan(best.std_error):
        near = [entry for _, entry in better if entry.error <= best.error + best.std_error]
        best = min(near, key=lambda entry: (entry.parameters, entry.error))
    return best


def choose_by_rule(rule: Rule, evidence: ItemEvidence, rivals: Sequence[Entry], levels: tuple[float, ...]) -> Entry:
    """Ask a planner's own rule.

    Raises
    ------
    ParameterError
        If it names no method that competes.
    """
    columns = {f"coverage_{level_label(level)}": j for j, level in enumerate(levels)}
    rows = [
        {
            "item": evidence.item,
            "method": entry.method.text,
            "measure": evidence.measure,
            "error": entry.error,
            "std_error": entry.std_error,
            "bias": entry.bias,
            "parameters": entry.parameters,
            **{name: entry.coverage[j] for name, j in columns.items()},
        }
        for entry in rivals
    ]
    chosen = rule(pd.DataFrame(rows))
    found = next((entry for entry in rivals if entry.method.text == str(chosen)), None)
    if found is None:
        names = ", ".join(entry.method.text for entry in rivals)
        raise ParameterError("rule", repr(chosen), f"for {evidence.item!r} it must name one of {names}")
    return found
