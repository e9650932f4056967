"""Options derived from requests: a command takes requests, its options are their fields."""

import inspect
from collections.abc import Callable
from dataclasses import MISSING, Field, dataclass, fields, is_dataclass
from functools import wraps
from typing import Annotated, Any, get_args, get_origin, get_type_hints

import typer

from veridex.errors import ParameterError
from veridex.job.words import Stated, Word, split_names

__all__ = ["takes"]

CONTEXT = "context"
SAID = ("COMMANDLINE", "ENVIRONMENT")
METAVARS = {str: "<text>", int: "<number>", float: "<number>"}


@dataclass(frozen=True, slots=True)
class Option:
    """A field of a request as an option.

    Attributes
    ----------
    request : str
        The command's parameter that receives the request.
    field : Field
    kind : Any
        The type of the field.
    word : Word
    """

    request: str
    field: "Field[Any]"
    kind: Any
    word: Word

    @property
    def listed(self) -> bool:
        """Whether it is written as a list with commas."""
        return get_origin(self.kind) is tuple

    @property
    def spelled(self) -> str:
        """Its name, as it is written."""
        return self.word.name or self.field.name

    def parameter(self) -> inspect.Parameter:
        """The parameter that Typer reads."""
        kind = str | None if self.listed else self.kind
        if self.word.positional:
            described: Any = typer.Argument(help=self.word.help, metavar=self.spelled.upper())
        else:
            name = f"--{self.spelled.replace('_', '-')}"
            described = typer.Option(name, help=self.word.help, metavar=_metavar(kind))
        return inspect.Parameter(
            self.field.name, inspect.Parameter.KEYWORD_ONLY, annotation=Annotated[kind, described], default=self.default
        )

    @property
    def default(self) -> Any:
        """What holds where it is not stated, as it would be written."""
        if self.field.default is MISSING:
            return inspect.Parameter.empty
        if self.listed:
            return ",".join(f"{one:g}" if isinstance(one, float | int) else one for one in self.field.default) or None
        return self.field.default

    def value(self, given: Any) -> Any:
        """The value of the field, from what was written.

        Raises
        ------
        ParameterError
            If a list is empty, or holds what is no number where numbers are meant.
        """
        if not self.listed:
            return given
        if given is None:
            return ()
        parts = split_names(given)
        if not parts:
            raise ParameterError(self.spelled, repr(given), "name at least one")
        if get_args(self.kind)[0] is not float:
            return parts
        try:
            return tuple(float(part) for part in parts)
        except ValueError:
            raise ParameterError(self.spelled, repr(given), "write numbers separated by commas, as in 80,95") from None


def takes(**only: str) -> Callable[[Callable[..., None]], Callable[..., None]]:
    """Give a command options for the fields of the requests it takes.

    Parameters
    ----------
    **only : str
        For a request of which a command takes some fields, their names separated by blanks.
    """

    def derived(command: Callable[..., None]) -> Callable[..., None]:
        hints = get_type_hints(command, include_extras=True)
        requests: dict[str, Any] = {
            name: kind for name, kind in hints.items() if is_dataclass(kind) and kind is not Stated
        }
        options = [one for name, kind in requests.items() for one in _options(name, kind, only.get(name))]

        @wraps(command)
        def run(**given: Any) -> None:
            context: typer.Context = given.pop(CONTEXT)
            values: dict[str, dict[str, Any]] = {name: {} for name in requests}
            for one in options:
                values[one.request][one.field.name] = one.value(given[one.field.name])
            filled: dict[str, Any] = {name: requests[name](**own) for name, own in values.items()}
            if hints.get("stated") is Stated:
                filled["stated"] = Stated([one.spelled for one in options if _is_stated(context, one.field.name)])
            command(**filled)

        head = inspect.Parameter(CONTEXT, inspect.Parameter.KEYWORD_ONLY, annotation=typer.Context)
        parameters = [head, *(one.parameter() for one in options)]
        run.__signature__ = inspect.Signature(parameters)  # type: ignore[attr-defined]
        run.__annotations__ = {one.name: one.annotation for one in parameters}
        return run

    return derived


def _metavar(kind: Any) -> str | None:
    """What stands for a value in the help, in a planner's words; None where Typer lists the words or says path."""
    if isinstance(kind, type):
        return METAVARS.get(kind)
    return next((found for one in get_args(kind) if (found := _metavar(one))), None)


def _is_stated(context: typer.Context, name: str) -> bool:
    source = context.get_parameter_source(name)
    return source is not None and source.name in SAID


def _options(request: str, kind: Any, only: str | None) -> list[Option]:
    """The fields of a request that a command takes."""
    hints = get_type_hints(kind, include_extras=True)
    wanted = None if only is None else only.split()
    found = []
    for one in fields(kind):
        if wanted is None or one.name in wanted:
            inner, word = get_args(hints[one.name])
            found.append(Option(request, one, inner, word))
    return found
