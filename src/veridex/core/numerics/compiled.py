"""The one decorator that all kernels wear."""

from collections.abc import Callable
from typing import ParamSpec, TypeVar, cast

from numba import njit

from veridex.core.arrays import FloatArray

__all__ = ["copy_into", "inlined", "kernel"]


P = ParamSpec("P")
R = TypeVar("R")


def kernel(function: Callable[P, R]) -> Callable[P, R]:
    """Compile a function once, keep it on disk, and keep its Python signature for the type checker.

    No fastmath: it would drop the NaN checks on which unknown demand rests. Division by zero
    gives an infinity, as in NumPy, so that an optimiser can step over it.
    """
    return cast(Callable[P, R], njit(cache=True, nogil=True, error_model="numpy")(function))


def inlined(function: Callable[P, R]) -> Callable[P, R]:
    """Part of the one kernel that calls it, and compiled with it alone.

    A kernel that calls others is optimised with all of them once more, so that each layer of large ones costs as much
    as the layers below.
    """
    return cast(Callable[P, R], njit(cache=True, nogil=True, error_model="numpy", inline="always")(function))


@kernel
def copy_into(target: FloatArray, source: FloatArray) -> None:
    """Copy as many values as `target` has: a loop compiles in a twentieth of the time of a slice assigned."""
    for i in range(target.size):
        target[i] = source[i]
