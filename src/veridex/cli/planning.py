"""What `plan` does: it reads FILE by the words of the call, and writes them down with what was found out."""

from dataclasses import replace

import typer

from veridex.cli.desk import desk_for
from veridex.core.history.history import History
from veridex.errors import ParameterError
from veridex.job.desk import HERE, Desk
from veridex.job.pipeline import refuse_idle
from veridex.job.reading import explanation, read_whole, rules_of, settled
from veridex.job.requests import (
    Deciding,
    Driving,
    Happening,
    Placing,
    Planning,
    Publishing,
    Reading,
    Ruling,
    Telling,
    Testing,
    Watching,
)
from veridex.job.words import Stated
from veridex.plan.drafting import Draft, drafted

__all__ = ["run_plan_words"]


Said = tuple[Reading, Publishing, Driving, Happening, Watching, Telling]


def run_plan_words(
    planning: Planning, said: Said, testing: Testing, deciding: Deciding, ruling: Ruling, stated: Stated
) -> None:
    """Read FILE, check what can be checked, write the plan, and show it."""
    if planning.to.suffix.lower() != ".toml":
        raise ParameterError("to", repr(str(planning.to)), "a plan is a file ending in .toml")
    reading, publishing, driving, happening, *_ = said
    refuse_idle(publishing, stated)
    desk = desk_for(planning)
    history, notes = _read(reading, ruling, driving, happening)
    tidying = () if ruling.tidy is None else (rules_of(ruling.tidy),)
    tested = () if publishing.method else (testing, deciding)
    places = Placing(to=planning.publish_to, figures=planning.figures)
    draft = Draft(history=history, requests=[*said, places, *tested, *tidying], notes=notes)
    written = drafted(draft, planning.to)
    desk.say(f"Written to {written}; `veridex run {written}` does what it says.")
    typer.echo(written.read_text(encoding="utf-8"), nl=False)


def _read(
    reading: Reading, ruling: Ruling, driving: Driving, happening: Happening
) -> tuple[History, dict[str, list[str]]]:
    """FILE as the words of the call say, with what was found out; a wrong word is told now."""
    notes: dict[str, list[str]] = {"history": [], "tidy": [], "drivers": []}

    def listening(section: str) -> Desk:
        return replace(HERE, say=notes[section].append)

    raw = read_whole(reading, listening("history"))
    where = "history" if ruling.tidy is None else "tidy"
    history = settled(raw, reading, ruling.tidy, listening(where), happening)
    explanation(driving, happening, reading, history, listening("drivers"))
    return history, {section: said for section, said in notes.items() if said}
