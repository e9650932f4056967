"""Where results go, and who is told."""

from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, ClassVar, Literal

from veridex.job.words import Word

__all__ = ["Placing", "Planning", "Running", "Telling"]

Texts = tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Placing:
    """Where results go."""

    TITLE: ClassVar[str] = "Results"

    to: Annotated[
        Texts,
        Word(
            help="Where to keep the result: a directory, a workbook (.xlsx), Parquet (.parquet), a database "
            "(sqlite:///forecasts.db); a trial only in the last two, a fit in a file ending in .json. Several are "
            "written together.",
            repeated=True,
            place=True,
        ),
    ] = ()
    figures: Annotated[Path | None, Word(help="Directory for figures.", place=True)] = None
    form: Annotated[
        Literal["table", "csv", "json"],
        Word(help="How the table goes to standard output; csv and json have every column.", name="as", planned=""),
    ] = "table"
    wide: Annotated[
        bool, Word(help="All columns of a table for people, on a screen that is wide enough.", planned="")
    ] = False
    quiet: Annotated[bool, Word(help="No notes and no progress on standard error.", planned="")] = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Telling:
    """Who is told what of a run."""

    TITLE: ClassVar[str] = "Telling"

    on: Annotated[Texts, Word(help="When somebody is told: done, unchanged, failed, alerts.")] = (
        "done",
        "failed",
        "alerts",
    )
    webhook: Annotated[
        str | None, Word(help="Variable of the environment that holds the address to post to, as $NAME.", secret=True)
    ] = None
    mail_to: Annotated[Texts, Word(help="Who gets a mail.")] = ()
    mail_from: Annotated[str | None, Word(help="Whom it is from.")] = None
    mail_server: Annotated[str | None, Word(help="Host of the mail server, and its port: mail.example:587.")] = None
    mail_security: Annotated[
        Literal["starttls", "tls"], Word(help="How the connection to it is made safe: after it is made, or before.")
    ] = "starttls"
    mail_user: Annotated[
        str | None, Word(help="Variable of the environment that holds the user of the server, as $NAME.", secret=True)
    ] = None
    mail_password: Annotated[
        str | None, Word(help="Variable of the environment that holds the password, as $NAME.", secret=True)
    ] = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Running:
    """What of a plan is run, and when."""

    TITLE: ClassVar[str] = "Run"

    plan: Annotated[Path, Word(help="The plan.", positional=True)]
    only: Annotated[
        Literal["test", "publish", "watch"] | None, Word(help="Only this part of the job (default: all).")
    ] = None
    as_of: Annotated[str | None, Word(help="As if it were this day: periods that were not over then are left out.")] = (
        None
    )
    schedule: Annotated[
        str | None,
        Word(help="'monday 06:00', 'daily 05:30', 'monthly 3 06:00': print what to copy into the scheduler, and stop."),
    ] = None
    quiet: Annotated[bool, Word(help="No notes and no progress on standard error.")] = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Planning:
    """Where a plan is written, and what it says of places."""

    TITLE: ClassVar[str] = "Plan"

    to: Annotated[Path, Word(help="The plan's own file.")] = Path("plan.toml")
    figures: Annotated[Path | None, Word(help="Where it draws.")] = None
    publish_to: Annotated[Texts, Word(help="Where it publishes to (default: published).", repeated=True)] = ()
    quiet: Annotated[bool, Word(help="No notes and no progress on standard error.")] = False
