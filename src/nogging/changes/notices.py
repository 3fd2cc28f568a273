"""Notices of how a change ended: to a web address (RFC 9110), or by mail (RFC 5321, RFC 5322).

They are sent when all is decided: one that cannot be delivered is tried again, then told, and changes no verdict.
"""

from __future__ import annotations

import json
import smtplib
import time
import urllib.request
from collections.abc import Mapping
from email.message import EmailMessage
from typing import Any

from nogging.changes.declared import NoticeModel
from nogging.changes.templates import TemplateWrongError, filled_text

TRIES, PAUSE, WITHIN = 3, 1.0, 10.0
TEXT = """{{ state }}: {{ title }}
{% for one in reasons %}because {{ one }}
{% endfor %}
{% for one in todo %}to do: {{ one }}
{% endfor %}
{{ folder }}
"""


def wanted(model: NoticeModel, verdict: str, recovered: bool) -> bool:
    """Whether a notice is asked for at this end. `recovered` is a change that failed, and left all as it was."""
    return "always" in model.on or verdict in model.on or (recovered and "recovered" in model.on)


def deliver(model: NoticeModel, known: Mapping[str, Any]) -> tuple[str, bool]:
    """What became of a notice, and whether it was delivered."""
    told = ""
    for attempt in range(TRIES):
        time.sleep(PAUSE * attempt)
        try:
            return (_post(model, known) if model.http else _mail(model, known)), True
        except TemplateWrongError as error:
            return str(error), False
        except (OSError, smtplib.SMTPException, ValueError) as error:
            told = f"{type(error).__name__}: {error}"
    return f"not delivered, tried {TRIES} times: {told}", False


def _post(model: NoticeModel, known: Mapping[str, Any]) -> str:
    url = model.http or ""
    if not url.startswith(("http://", "https://")):
        raise ValueError(f"{url} is no web address")
    body = filled_text(model.template, known) if model.template else json.dumps(dict(known), ensure_ascii=False)
    request = urllib.request.Request(url, body.encode(), {"Content-Type": "application/json"}, method="POST")
    with urllib.request.urlopen(request, timeout=WITHIN) as answer:
        return f"delivered ({answer.status})"


def _mail(model: NoticeModel, known: Mapping[str, Any]) -> str:
    message = EmailMessage()
    message["From"], message["To"] = model.sender, model.mail
    message["Subject"] = " ".join(f"[{known['state']}] {known['title']}".split())
    message.set_content(filled_text(model.template or TEXT, known))
    host, _, port = model.server.rpartition(":")
    with smtplib.SMTP(host or model.server, int(port) if port.isdigit() else 25, timeout=WITHIN) as server:
        server.send_message(message)
    return "delivered"
