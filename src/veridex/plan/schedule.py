"""How to have a plan run by itself: lines to copy into the scheduler; nothing is installed."""

import re
import shlex
from pathlib import Path

from veridex.errors import ParameterError
from veridex.errors.wording import near

__all__ = ["schedule"]

DAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
WHEN = re.compile(r"(?P<which>[a-z]+)(?: (?P<day>\d{1,2}))? (?P<hour>\d{1,2}):(?P<minute>\d{2})")


def schedule(when: str, plan: Path, command: Path) -> str:
    """A crontab line and a systemd timer that run a plan.

    Parameters
    ----------
    when : str
        ``"monday 06:00"``, ``"workdays 06:00"``, ``"daily 05:30"`` or ``"monthly 3 06:00"``, the third of each month.
    plan : Path
    command : Path
        Where `veridex` is installed.

    Raises
    ------
    ParameterError
        If that is no time.
    """
    cron, calendar = _times(when.strip().lower())
    place, called = plan.absolute(), command.absolute()
    line = f"{shlex.quote(str(called))} run {shlex.quote(str(place))}"
    name = f"veridex-{re.sub('[^A-Za-z0-9]+', '-', plan.stem)}"
    return f"""# A line for `crontab -e`:
{cron} cd {shlex.quote(str(place.parent))} && {line.replace("%", chr(92) + "%")} --quiet

# Or, with systemd, two files and two commands:
# ~/.config/systemd/user/{name}.service
[Unit]
Description=Veridex: {place.name}

[Service]
Type=oneshot
WorkingDirectory={_escaped(str(place.parent))}
ExecStart="{_escaped(str(called))}" run "{_escaped(str(place))}" --quiet
# 3 is done, with alerts
SuccessExitStatus=3

# ~/.config/systemd/user/{name}.timer
[Unit]
Description=When Veridex runs {place.name}

[Timer]
OnCalendar={calendar}
Persistent=true

[Install]
WantedBy=timers.target

# systemctl --user daemon-reload
# systemctl --user enable --now {name}.timer
"""


def _times(when: str) -> tuple[str, str]:
    """The five fields of a crontab, and a calendar expression of systemd."""
    found = WHEN.fullmatch(when)
    which = "" if found is None else found["which"]
    known = ("daily", "workdays", "monthly", *DAYS)
    problem = f"write a day and a time, as in 'monday 06:00'; the days are {', '.join(known)}"
    if found is None or which not in known:
        raise ParameterError("schedule", repr(when), problem + (f".{near(which, known)}" if near(which, known) else ""))
    hour, minute = int(found["hour"]), int(found["minute"])
    if hour > 23 or minute > 59 or (which == "monthly") != (found["day"] is not None):
        raise ParameterError("schedule", repr(when), f"{problem}; 'monthly 3 06:00' is the third of each month")
    clock, at = f"{hour:02d}:{minute:02d}:00", f"{minute} {hour}"
    if which == "daily":
        return f"{at} * * *", f"*-*-* {clock}"
    if which == "workdays":
        return f"{at} * * 1-5", f"Mon..Fri *-*-* {clock}"
    if which == "monthly":
        day = int(found["day"])
        if not 1 <= day <= 28:
            raise ParameterError("schedule", repr(when), "a day that every month has is 1 to 28")
        return f"{at} {day} * *", f"*-*-{day:02d} {clock}"
    number = DAYS.index(which) + 1
    return f"{at} * * {number % 7}", f"{which[:3].capitalize()} *-*-* {clock}"


def _escaped(text: str) -> str:
    """A path as systemd takes it, which reads a percent sign as something of its own."""
    return text.replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%")
