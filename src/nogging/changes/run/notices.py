"""Notices of how a change ended: to a web address (RFC 9110), or by mail (RFC 5321, RFC 5322).

They are sent when all is decided: one that cannot be delivered is tried again, then told, and changes no verdict.
"""

from __future__ import annotations

import smtplib
import ssl
import time
from collections.abc import Mapping
from email.message import EmailMessage
from typing import Any

from nogging.changes.file.declared import NoticeModel
from nogging.changes.file.saying import message
from nogging.changes.run.calling import Fetch, requested
from nogging.errors import QuestionError

TRIES, PAUSE, WITHIN = 3, 1.0, 10.0


def wanted(model: NoticeModel, verdict: str, recovered: bool) -> bool:
    """Whether a notice is asked for at this end. `recovered` is a change that failed, and left all as it was."""
    return "always" in model.on or verdict in model.on or (recovered and "recovered" in model.on)


NO_LOGIN = "the mail server does not take the login"


def deliver(model: NoticeModel, known: Mapping[str, Any], fetch: Fetch) -> tuple[str, bool]:
    """What became of a notice, and whether it was delivered."""
    told = ""
    for attempt in range(TRIES):
        time.sleep(PAUSE * attempt)
        try:
            told, good = _post(model, known, fetch) if model.http else _mail(model, known, fetch)
        except QuestionError as error:
            return str(error), False
        except smtplib.SMTPAuthenticationError as error:  # not tried again: that could lock the login
            return f"not delivered: {NO_LOGIN} ({error.smtp_code})", False
        except (OSError, smtplib.SMTPException, ValueError) as error:
            told, good = getattr(error, "strerror", None) or f"{type(error).__name__}: {error}", False
        if good:
            return f"delivered ({told})", True
    return f"not delivered, tried {TRIES} times: {told}", False


def _post(model: NoticeModel, known: Mapping[str, Any], fetch: Fetch) -> tuple[str, bool]:
    return requested(model.http or "", message(model, known).encode(), model.headers, fetch, within=WITHIN)


def _mail(model: NoticeModel, known: Mapping[str, Any], fetch: Fetch) -> tuple[str, bool]:
    letter = EmailMessage()
    letter["From"], letter["To"] = model.sender, model.mail
    letter["Subject"] = " ".join(f"[{known['state']}] {known['title']}".split())
    letter.set_content(message(model, known))
    with _server(model) as server:
        if model.login is not None:
            server.login(model.login.user, fetch(model.login.password))
        server.send_message(letter)
    return "by mail", True


def _server(model: NoticeModel) -> smtplib.SMTP:
    """A session with the mail server; over TLS its certificate is verified against those that this machine trusts."""
    host, _, port = model.server.rpartition(":")
    at = (host.strip("[]"), int(port)) if port.isdigit() else (model.server, 0)  # 0: the usual one
    if model.tls == "implicit":
        return smtplib.SMTP_SSL(*at, timeout=WITHIN, context=ssl.create_default_context())
    server = smtplib.SMTP(*at, timeout=WITHIN)
    if model.tls == "starttls":
        try:
            server.starttls(context=ssl.create_default_context())
        except BaseException:
            server.close()
            raise
    return server
