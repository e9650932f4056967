"""Telling: a webhook and mail, with what only the environment may say."""

import os
import smtplib
import ssl
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from email.message import EmailMessage
from typing import Any

from veridex.errors.plans import Fault
from veridex.job.requests import Telling

__all__ = ["Message", "revealed", "tell", "unsaid"]

PATIENCE = 20.0
"""Seconds after which nobody is waited for any more."""

SECRETS = ("webhook", "mail_user", "mail_password")


@dataclass(frozen=True, slots=True)
class Message:
    """What somebody is told.

    Attributes
    ----------
    moment : {"done", "unchanged", "failed", "alerts"}
    subject, text : str
        For people.
    facts : mapping
        For machines, as JSON can hold it.
    """

    moment: str
    subject: str
    text: str
    facts: Mapping[str, Any]


def unsaid(telling: Telling) -> list[Fault]:
    """Secrets that the environment does not hold, found before the work."""
    found = []
    for name in SECRETS:
        said = getattr(telling, name)
        if said is not None and not os.environ.get(said[1:]):
            found.append(Fault(f"tell.{name}", f"the environment has no {said[1:]}"))
    return found


def revealed(said: str) -> str:
    """What the environment holds under ``$NAME``."""
    return os.environ.get(said[1:], "")


def tell(telling: Telling, message: Message) -> list[Fault]:
    """Tell whoever wants to know of such a moment; what went wrong comes back, without any secret in it."""
    if message.moment not in telling.on:
        return []
    ways: list[tuple[str, Callable[[Telling, Message], None]]] = []
    if telling.webhook is not None:
        ways.append(("tell.webhook", _post))
    if telling.mail_to:
        ways.append(("tell.mail_to", _mail))
    found = []
    for path, way in ways:
        try:
            way(telling, message)
        except _NotTold as problem:
            found.append(Fault(path, str(problem)))
    return found


class _NotTold(Exception):
    """Why somebody could not be told."""


def _post(telling: Telling, message: Message) -> None:
    """Post the facts and the text as JSON to the address in the environment."""
    import httpx  # only here: few plans tell anybody

    said = telling.webhook or ""
    try:
        answer = httpx.post(
            revealed(said),
            json={**message.facts, "moment": message.moment, "subject": message.subject, "summary": message.text},
            timeout=PATIENCE,
            follow_redirects=False,
        )
    except httpx.TimeoutException:
        raise _NotTold(f"the address in {said} did not answer in {PATIENCE:g} seconds") from None
    except (httpx.HTTPError, httpx.InvalidURL, ValueError) as problem:
        raise _NotTold(f"the address in {said} cannot be reached ({type(problem).__name__})") from None
    if not answer.is_success:
        raise _NotTold(f"the address in {said} answered {answer.status_code}")


def _mail(telling: Telling, message: Message) -> None:
    """Send the text over a connection that is encrypted and whose other end is who it says."""
    server = telling.mail_server or ""
    host, _, port = server.rpartition(":")
    letter = EmailMessage()
    letter["Subject"], letter["From"], letter["To"] = message.subject, telling.mail_from, ", ".join(telling.mail_to)
    letter.set_content(message.text)
    context = ssl.create_default_context()
    try:
        if telling.mail_security == "tls":
            connection: smtplib.SMTP = smtplib.SMTP_SSL(host, int(port), timeout=PATIENCE, context=context)
        else:
            connection = smtplib.SMTP(host, int(port), timeout=PATIENCE)
        with connection:
            if telling.mail_security == "starttls":
                connection.starttls(context=context)
            if telling.mail_user is not None and telling.mail_password is not None:
                connection.login(revealed(telling.mail_user), revealed(telling.mail_password))
            connection.send_message(letter)
    except ssl.SSLError:
        raise _NotTold(f"{server} has no certificate that is trusted here") from None
    except smtplib.SMTPAuthenticationError:
        said = f"{telling.mail_user} and {telling.mail_password}"
        raise _NotTold(f"{server} does not know the user and the password in {said}") from None
    except smtplib.SMTPRecipientsRefused as problem:
        raise _NotTold(f"{server} takes no mail for {', '.join(problem.recipients)}") from None
    except smtplib.SMTPNotSupportedError:
        raise _NotTold(f"{server} offers no encryption; mail_security says how it is made safe") from None
    except (smtplib.SMTPException, OSError) as problem:
        raise _NotTold(f"{server} cannot be reached or refused the mail ({type(problem).__name__})") from None
