"""The active topology: a fabric in which ports that a spanning tree has discard do (FM 7.9).

A port that discards a VLAN takes none of its frames and sends none; everything else is as it was.
So what is asked of links now is asked as ever, of another fabric.
"""

from __future__ import annotations

from msgspec.structs import replace

from inkov.forwarding.crossing import cross
from inkov.forwarding.fabric import Fabric
from inkov.forwarding.view import PortView

__all__ = ["active"]


def active(fabric: Fabric, discarding: dict[int, int]) -> Fabric:
    """The fabric as it forwards where some bridge ports (number -> VIDs, as a mask) discard."""
    ports = list(fabric.bridge_ports)
    resolved = dict(fabric.ports)
    for number, mask in discarding.items():
        port = ports[number]
        ports[number] = replace(
            port,
            view=_without(port.view, mask),
            on_request=tuple(_without(view, mask) for view in port.on_request),
        )
        own = fabric.resolved(port)
        resolved[own.end] = replace(own, view=_without(own.view, mask))
    now = replace(
        fabric,
        ports=resolved,
        bridge_ports=ports,
        crossings={},
        link_up=[],
        serving=[],
        outside_names=None,
        said_tags=None,
    )
    cross(now)
    return now


def _without(view: PortView, mask: int) -> PortView:
    """A view without some VIDs."""
    return replace(
        view,
        pvid=0 if mask >> view.pvid & 1 else view.pvid,
        admit=view.admit & ~mask,
        emit=view.emit & ~mask,
        untagged=view.untagged & ~mask,
    )
