"""The one decorator that all kernels wear."""

from collections.abc import Callable
from contextlib import suppress
from pickle import UnpicklingError
from typing import Any, ParamSpec, TypeVar, cast

from numba import njit, types
from numba.core.caching import FunctionCache
from numba.core.registry import CPUDispatcher

from veridex.core.arrays import FloatArray

__all__ = ["copy_into", "inlined", "kernel"]


UNKEPT = (OSError, EOFError, UnpicklingError)
"""What goes wrong with files of compiled code that are cut, or have no room."""

P = ParamSpec("P")
R = TypeVar("R")


class _Kernel(CPUDispatcher):
    """A compiled function that has one version for the number it is given, whatever that number is.

    Where a kernel calls another with a constant, numba would compile a second version for just that constant.
    """

    def get_call_template(self, args: Any, kws: Any) -> Any:
        """What is called for arguments of these types."""
        plain: Any = types.unliteral
        return super().get_call_template(tuple(map(plain, args)), {name: plain(kind) for name, kind in kws.items()})


class _Cache(FunctionCache):
    """Compiled code on disk, as far as the disk lets it: what cannot be written or read is compiled each time."""

    def save_overload(self, sig: Any, data: Any) -> None:
        """Keep a version; a full disk keeps none."""
        with suppress(*UNKEPT):
            super().save_overload(sig, data)  # type: ignore[no-untyped-call]

    def load_overload(self, sig: Any, target_context: Any) -> Any:
        """A version that was kept; None where there is none that can be read."""
        with suppress(*UNKEPT):
            return super().load_overload(sig, target_context)  # type: ignore[no-untyped-call]


def _compiled(function: Callable[P, R], **options: Any) -> Callable[P, R]:
    """Compile when first called, keep it on disk, and keep the Python signature for the type checker.

    No fastmath: it would drop the NaN checks on which unknown demand rests. Division by zero
    gives an infinity, as in NumPy, so that an optimiser can step over it. No door for callers in C: nothing calls
    from there, and it is a tenth of the cost of compiling a small one.
    """
    given: Any = {"nogil": True, "error_model": "numpy", "no_cfunc_wrapper": True, **options}
    made: Any = njit(**given)(function)
    made.__class__ = _Kernel
    with suppress(RuntimeError):  # neither the package's directory nor the user's can be written: compiled each time
        made._cache = _Cache(made.py_func)  # type: ignore[no-untyped-call]
    return cast(Callable[P, R], made)


def kernel(function: Callable[P, R]) -> Callable[P, R]:
    """Compile a function when it is first called, for the one machine."""
    return _compiled(function)


def inlined(function: Callable[P, R]) -> Callable[P, R]:
    """Part of the one kernel that calls it, and compiled with it alone.

    A kernel that calls others is optimised with all of them once more, so that each layer of large ones costs as much
    as the layers below.
    """
    return _compiled(function, inline="always")


@kernel
def copy_into(target: FloatArray, source: FloatArray) -> None:
    """Copy as many values as `target` has: a loop compiles in a twentieth of the time of a slice assigned."""
    for i in range(target.size):
        target[i] = source[i]
