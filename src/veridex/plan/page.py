"""docs/plan-file.md, written from the requests: ``python -m veridex.plan.page > docs/plan-file.md``."""

import sys
from dataclasses import MISSING
from importlib.resources import files
from types import NoneType
from typing import Any, Literal, get_args, get_origin

from veridex.job.words import Told
from veridex.plan.sections import SECTIONS, VERSION, VERSION_KEY, keys_of

__all__ = ["page"]

ABOUT = {
    "history": "Which file is read, and how. The only section that a plan must have.",
    "tidy": "By which rules demand is repaired; they travel with the history, and each fold applies them to its own "
    "past. An empty section tidies by the rules as they stand here.",
    "drivers": "What may explain demand.",
    "events": "Events and public holidays.",
    "test": "How methods are tested. With `anchor` in a rolling scheme the first origin stays while the history "
    "grows, so that a run tests new origins alone.",
    "decide": "How the test decides, and where the planner knows better.",
    "publish": "What is published, and where.",
    "watch": "When an actual that came since the last publication is an alert.",
    "tell": "Who is told of a run. What is secret stands in the environment; the plan has the names of the variables.",
}

HEAD = f"""# The plan file

A plan says a whole job, in [TOML](https://toml.io). `veridex plan FILE words… --to plan.toml` writes one down from the
words of a call, `veridex run plan.toml` does what it says, and every command takes it for FILE:
`veridex fit plan.toml --item smoker-01 --method theta`. Words beside it win.

- Its first line is `{VERSION_KEY} = {VERSION}`, the version of this form. Keys that stand nowhere here are refused,
  with the path of each fault and what may have been meant.
- Places are seen from the plan's own directory. An address that holds a password stands in the environment:
  `file = "$LARKMOOR_DB"`.
- A method or a scheme is a text, `"arima p=1 d=1"`, or a table, `{{ use = "arima", p = 1, d = 1 }}`. One value of a
  list may stand without brackets.
- A run keeps its journal (`journal.jsonl`, a line per run), its tests and a lock in a directory beside the plan:
  `plan.kept` for `plan.toml`. Without it the next run tests everything anew.

The demo's plan:

```toml
{{demo}}```
"""


def page() -> str:
    """The page, section by section."""
    demo = (files("veridex.demo") / "data" / "plan.toml").read_text(encoding="utf-8")
    parts = [HEAD.replace("{demo}", demo), *(_section(name) for name in SECTIONS)]
    return "\n".join(parts)


def _section(name: str) -> str:
    rows = [
        f"| `{key}` | {_values(told)} | {_default(told)} | {_said(told)} |" for key, (_, told) in keys_of(name).items()
    ]
    head = ["| key | value | if it is not stated | what it says |", "| --- | --- | --- | --- |"]
    return "\n".join([f"## [{name}]", "", ABOUT[name], "", *head, *rows, ""])


def _said(told: Told) -> str:
    """The help of a key, without what only the command line needs to be told."""
    said = told.word.help.replace(", separated by commas", "").replace(" Several may be named.", "")
    return said.replace("|", "\\|")


def _values(told: Told) -> str:
    """What may stand there."""
    if told.word.read is not None:
        return "tables of item, method, reason"
    if told.word.secret:
        return '`"$NAME"`'
    if told.listed:
        return {str: "texts", float: "numbers", int: "whole numbers"}.get(get_args(told.kind)[0], "paths")
    return _kind(told.kind)


def _kind(kind: Any) -> str:
    parts = [one for one in (get_args(kind) if get_origin(kind) is not Literal else (kind,)) if one is not NoneType]
    for one in parts or [kind]:
        if get_origin(one) is Literal:
            return ", ".join(f"`{word}`" for word in get_args(one))
    plain = (parts or [kind])[0]
    return {str: "text", int: "whole number", float: "number", bool: "true or false"}.get(plain, "path")


def _default(told: Told) -> str:
    """What holds where it is not stated."""
    if told.default is MISSING:
        return "it must be"
    if told.default in (None, ()):
        return "–"
    if isinstance(told.default, bool):
        return f"`{str(told.default).lower()}`"
    if isinstance(told.default, tuple):
        return f"`[{', '.join(f'{one:g}' if isinstance(one, float | int) else one for one in told.default)}]`"
    return f"`{told.default}`"


if __name__ == "__main__":
    sys.stdout.write(page())
