"""How the record at the other end of a link or session is found: as joins, which a kind declares as its `peers`.

`r` is a record, `p` what is joined as the one at the other end; `{side}_<kind>` are the records of one capture, and
`links_{side}` its links: `device`, `interface`, `peer_device`, `peer_interface`.
"""

from __future__ import annotations


def over_the_link(kind: str, port: str) -> str:
    """The records of a kind on the port at the other end of the link; `port` is the field that names the interface."""
    return (
        f"JOIN links_{{side}} l ON l.device = r.device AND l.interface = r.{port} JOIN {{side}}_{kind} p "
        f"ON p.device = l.peer_device AND p.{port} = l.peer_interface"
    )
