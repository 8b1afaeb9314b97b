"""The door for pages: those that may come in, and the page that is handed out there.

Any page that a browser shows may try to reach a port of its machine. Without a token only a page that comes from here
may: one that was handed out by the link, or by another server on this machine, and never one that was opened as a file,
since nothing tells it from a page of elsewhere.
"""

from __future__ import annotations

import http
import ipaddress
from typing import Any
from urllib.parse import urlsplit

NO_PAGE = "The link is on. Pages speak WebSocket here; docs/live-link.md has the messages.\n"
STRANGE = "A page of elsewhere, or one that was opened as a file, needs a link with a token.\n"


def is_local(host: str) -> bool:
    """True of an address or a name of this machine that no other reaches."""
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


def may_come(host: str | None, origin: str | None) -> bool:
    """True if a request without a token may come in. host, origin : as its heads tell; a program tells no origin."""
    try:
        named = urlsplit(f"//{host or ''}").hostname or ""
        came = urlsplit(origin).hostname or "" if origin is not None else "localhost"
    except ValueError:
        return False
    return is_local(named) and is_local(came)


def answered(connection: Any, request: Any, token: str, page: str) -> Any:
    """The answer to a request that asks for a page or may not come in; None: the conversation begins."""
    head = request.headers
    if not token and not may_come(head.get("Host"), head.get("Origin")):
        return connection.respond(http.HTTPStatus.FORBIDDEN, STRANGE)
    if head.get("Upgrade", "").lower() == "websocket":
        return None
    if urlsplit(request.path).path != "/":
        return connection.respond(http.HTTPStatus.NOT_FOUND, NO_PAGE)
    answer = connection.respond(http.HTTPStatus.OK, page or NO_PAGE)
    if page:
        del answer.headers["Content-Type"]
        answer.headers["Content-Type"] = "text/html; charset=utf-8"
    answer.headers["Cache-Control"] = "no-store"
    return answer
