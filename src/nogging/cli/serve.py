"""`nogging serve`"""

from __future__ import annotations

import secrets
from pathlib import Path
from typing import Annotated

import typer

from nogging.cli import PASS
from nogging.cli.run import address_and_port
from nogging.errors import QuestionError
from nogging.serving.server import TOKEN, Server, is_loopback
from nogging.serving.watched import Watched

_SHORTEST = 16


def command(
    folder: Annotated[Path, typer.Argument(help="A history that 'nogging keep' made.", metavar="DIR")],
    listen: Annotated[str, typer.Option(help="Where to listen: PORT, or ADDRESS:PORT.")] = "8088",
    token: Annotated[
        Path | None, typer.Option(help="A file with the token to ask for; without it, one is made where it is needed.")
    ] = None,
) -> int:
    """Pages of a history, to be looked at while it grows: status, changes, records, moments compared, settings.

    Read-only, on loopback unless --listen says otherwise; whoever comes from elsewhere needs the token.
    """
    address, port = address_and_port(listen, "--listen")
    watched = Watched(folder)
    asked = _token(token) if token is not None else "" if is_loopback(address) else secrets.token_urlsafe(24)
    with watched.look():
        pass  # a long history is read before the first page is asked for
    with Server(address, port, watched, asked) as server:
        host, port = server.server_address[0], server.server_address[1]
        shown = f"[{host!s}]" if ":" in str(host) else str(host)
        print(f"http://{shown}:{port}/{f'?{TOKEN}={asked}' if asked else ''}", flush=True)
        if asked:
            print("whoever has this address may look; it is not encrypted on its way. Ctrl-C stops it", flush=True)
        else:
            print("only this machine can look; Ctrl-C stops it", flush=True)
        try:
            server.serve_forever()
        except KeyboardInterrupt:
            return PASS
    return PASS


def _token(path: Path) -> str:
    try:
        token = path.read_text(encoding="utf-8").strip()
    except (OSError, ValueError) as error:
        raise QuestionError(f"{path}: the token cannot be read: {error}") from None
    if len(token) < _SHORTEST or not token.isascii() or any(letter in token for letter in ' ";,\\\t\n'):
        raise QuestionError(f"{path}: a token is {_SHORTEST} letters and digits or more, without spaces and quotes")
    return token
