"""Parse a stranger's file apart first: only what that survives is parsed here.

What it is worth is found out by who parses it next, with its own sentences.
"""

from __future__ import annotations

import contextlib

from silhueta.core.apart.ask import ask
from silhueta.core.apart.child import Allow, Says
from silhueta.core.errors import SilhuetaError


def rehearse_xml(data: bytes, name: str, kind: type[SilhuetaError]) -> None:
    """Raise `kind` if a parser of XML does not survive `data`."""
    ask(xml_task, {"name": name}, data, kind)


def rehearse_json(data: bytes, name: str, kind: type[SilhuetaError]) -> None:
    """Raise `kind` if a parser of JSON does not survive `data`."""
    ask(json_task, {"name": name}, data, kind)


class _EnoughError(Exception):
    """Raised where a file defines an entity: such files are refused."""


def xml_task(_told: Says, data: bytes, _allow: Allow) -> tuple[Says, None]:
    """Parse a file as XML, and forget it."""
    from xml.parsers import expat

    def entity(*_told: object) -> None:
        raise _EnoughError

    parser = expat.ParserCreate()
    parser.EntityDeclHandler = entity
    with contextlib.suppress(expat.ExpatError, ValueError, LookupError, _EnoughError):
        parser.Parse(data, True)
    return {}, None


def json_task(_told: Says, data: bytes, _allow: Allow) -> tuple[Says, None]:
    """Parse a file as JSON, and forget it."""
    import msgspec

    with contextlib.suppress(msgspec.DecodeError, ValueError, RecursionError):
        msgspec.json.decode(data)
    return {}, None
