"""Which engines there are, by name."""

from veridex.errors import ParameterError
from veridex.errors.wording import near

__all__ = ["DASK", "ENGINES", "engine_word"]

NAMES, DASK = ("auto", "serial", "processes", "dask"), "dask://"

ENGINES = "the engines are 'serial', 'processes', 'dask' (this machine's cores) and 'dask://scheduler:8786'"


def engine_word(text: str) -> str:
    """An engine as it is written.

    Raises
    ------
    ParameterError
        If there is no such engine.
    """
    if text in NAMES or (text.startswith(DASK) and len(text) > len(DASK)):
        return text
    raise ParameterError("engine", repr(text), f"{ENGINES}.{near(text, NAMES)}".removesuffix("."))
