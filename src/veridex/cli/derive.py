"""Options derived from requests: a command takes requests, its options are their fields.

Where FILE is a plan, what the plan says holds for every option that the call does not state.
"""

import inspect
from collections.abc import Callable, Mapping
from dataclasses import MISSING, dataclass, is_dataclass
from functools import wraps
from typing import TYPE_CHECKING, Annotated, Any, get_args, get_type_hints

import typer
from typer.core import TyperCommand

from veridex.errors import ParameterError
from veridex.exchange.missing import refuse_missing
from veridex.job import requests
from veridex.job.requests import Reading
from veridex.job.words import Stated, Told, spelled_numbers, split_names, told_by

if TYPE_CHECKING:
    from veridex.plan.plan import Plan

__all__ = ["Grouped", "takes"]

CONTEXT = "context"
SAID = ("COMMANDLINE", "ENVIRONMENT")
METAVARS = {str: "<text>", int: "<number>", float: "<number>"}
PLAN = ".toml"


class Grouped(TyperCommand):
    """A command whose help lists the words of each request under its own heading, in the order of the requests."""

    def format_options(self, ctx: Any, formatter: Any) -> None:
        """Write the arguments, then the options by groups."""
        groups: dict[str, list[tuple[str, str]]] = {}
        for one in self.get_params(ctx):
            record = one.get_help_record(ctx)
            if record is not None:
                plain = "Arguments" if one.param_type_name == "argument" else "Options"
                groups.setdefault(getattr(one, "rich_help_panel", None) or plain, []).append(record)
        for title, records in sorted(groups.items(), key=lambda group: _rank(group[0])):
            with formatter.section(title):
                formatter.write_dl(records)


@dataclass(frozen=True, slots=True)
class Option:
    """A field of a request as an option.

    Attributes
    ----------
    parameter : str
        The command's parameter that receives the request.
    request : type
    told : Told
    """

    parameter: str
    request: Any
    told: Told

    @property
    def once(self) -> bool:
        """Whether its values are written in one text, with commas between them."""
        return self.told.listed and not self.told.word.repeated

    def in_signature(self) -> inspect.Parameter:
        """The parameter that Typer reads."""
        told, word = self.told, self.told.word
        kind: Any = (str | None) if self.once else told.kind
        if word.repeated:
            element = get_args(told.kind)[0]
            kind = list[str if word.read is not None else element] | None  # type: ignore[misc]
        group = word.group or self.request.TITLE
        if word.positional:
            described: Any = typer.Argument(help=word.help, metavar=told.spelled.upper())
        else:
            name = f"--{told.spelled.replace('_', '-')}"
            described = typer.Option(name, help=word.help, metavar=_metavar(kind), rich_help_panel=group)
        return inspect.Parameter(
            told.name, inspect.Parameter.KEYWORD_ONLY, annotation=Annotated[kind, described], default=self.default
        )

    @property
    def default(self) -> Any:
        """What holds where it is not stated, as it would be written."""
        if self.told.default is MISSING:
            return inspect.Parameter.empty
        if self.told.word.repeated:
            return None
        return spelled_numbers(self.told.default) if self.once else self.told.default

    def value(self, given: Any) -> Any:
        """The value of the field, from what was written.

        Raises
        ------
        ParameterError
            If a list is empty, or holds what is no number where numbers are meant.
        """
        told = self.told
        if not told.listed:
            return given if told.word.checked is None or given is None else told.word.checked(given)
        if given is None:
            return ()
        if told.word.repeated:
            return tuple(given if told.word.read is None else map(told.word.read, given))
        parts = split_names(given)
        if not parts:
            raise ParameterError(told.spelled, repr(given), "name at least one")
        return numbers(told, given, parts) if told.of_numbers else parts


def _rank(title: str) -> int:
    """Where a group stands in the help: what most calls say comes first, the details of a request after all of that."""
    firsts = {getattr(requests, name).TITLE for name in requests.__all__ if hasattr(getattr(requests, name), "TITLE")}
    return 0 if title == "Arguments" else 1 if title in firsts else 3 if title == "Options" else 2


def numbers(told: Told, given: str, parts: tuple[str, ...]) -> tuple[Any, ...]:
    """Numbers of the kind that a field holds."""
    kind = get_args(told.kind)[0]
    try:
        return tuple(kind(part) for part in parts)
    except ValueError:
        like = "1,2,3" if kind is int else "80,95"
        raise ParameterError(told.spelled, repr(given), f"write numbers separated by commas, as in {like}") from None


def takes(**only: str) -> Callable[[Callable[..., None]], Callable[..., None]]:
    """Give a command options for the fields of the requests it takes.

    Parameters
    ----------
    **only : str
        For a request of which a command takes some fields, their names separated by blanks.
    """

    def derived(command: Callable[..., None]) -> Callable[..., None]:
        hints = get_type_hints(command, include_extras=True)
        asked: dict[str, Any] = {
            name: kind for name, kind in hints.items() if is_dataclass(kind) and kind is not Stated
        }
        options = [one for name, kind in asked.items() for one in _options(name, kind, only.get(name))]

        @wraps(command)
        def run(**given: Any) -> None:
            context: typer.Context = given.pop(CONTEXT)
            stated = [one for one in options if _is_stated(context, one.told.name)]
            values: dict[str, dict[str, Any]] = {name: {} for name in asked}
            for one in options:
                values[one.parameter][one.told.name] = one.value(given[one.told.name])
            if Reading in asked.values():
                refuse_missing(given["file"])
                if given["file"].lower().endswith(PLAN):
                    _fill_from_plan(given["file"], values, asked, stated)
            filled: dict[str, Any] = {name: asked[name](**own) for name, own in values.items()}
            if hints.get("stated") is Stated:
                filled["stated"] = Stated([one.told.spelled for one in stated])
            command(**filled)

        head = inspect.Parameter(CONTEXT, inspect.Parameter.KEYWORD_ONLY, annotation=typer.Context)
        parameters = [head, *(one.in_signature() for one in options)]
        run.__signature__ = inspect.Signature(parameters)  # type: ignore[attr-defined]
        run.__annotations__ = {one.name: one.annotation for one in parameters}
        return run

    return derived


def _fill_from_plan(
    file: str, values: dict[str, dict[str, Any]], asked: Mapping[str, Any], stated: list[Option]
) -> None:
    """Put in what the plan says, but where the call says something itself."""
    from veridex.plan.reading import read_plan  # only here: it loads what checks a plan

    plan: Plan = read_plan(file)
    said = {(one.parameter, one.told.name) for one in stated} - {
        (name, "file") for name, kind in asked.items() if kind is Reading
    }
    for name, own in values.items():
        for key, value in plan.words_for(asked[name], set(asked.values())).items():
            if (name, key) not in said:
                own[key] = value
            elif (asked[name], key) == (Reading, "item"):
                own[key] = plan.item(own[key])


def _metavar(kind: Any) -> str | None:
    """What stands for a value in the help, in a planner's words; None where Typer lists the words or says path."""
    if isinstance(kind, type):
        return METAVARS.get(kind)
    return next((found for one in get_args(kind) if (found := _metavar(one))), None)


def _is_stated(context: typer.Context, name: str) -> bool:
    source = context.get_parameter_source(name)
    return source is not None and source.name in SAID


def _options(parameter: str, kind: Any, only: str | None) -> list[Option]:
    """The fields of a request that a command takes."""
    wanted = None if only is None else only.split()
    return [Option(parameter, kind, one) for one in told_by(kind) if wanted is None or one.name in wanted]
