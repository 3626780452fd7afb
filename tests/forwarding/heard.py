"""What the engine says is heard, in the simulator's terms."""

from __future__ import annotations

from collections.abc import Container

from inkov.forwarding import BridgePort, Fabric, Form
from inkov.forwarding.reach import flood, sendings_at
from inkov.levels import Level
from tests.simulator import ANY, UNTAGGED, Heard

__all__ = ["engine_hears"]


def engine_hears(
    fabric: Fabric, source: BridgePort, level: Level, vids: Container[int] = ANY
) -> set[Heard]:
    """Who hears what a host at a port may send, in one of some VLANs, but the port itself.

    At a port that takes no notice of tags, the number that untagged frames have inside is the
    engine's own affair.
    """
    own = [source.number]
    if source.view.form is Form.UNAWARE and not source.outer and level is Level.HOSTILE:
        on_wire = (fabric.bridge_ports[number] for number in fabric.at[source.end])
        own += [port.number for port in on_wire if fabric.is_implied(port)]
    heard = set()
    for port, vid, tagged in flood(fabric, sendings_at(fabric, own, level), level).heard():
        name = port.end.port if fabric.is_implied(port) else port.port
        own_number = port.view.form is Form.UNAWARE and (bool(port.outer) or not tagged)
        worth = own_number or vid in vids
        if worth and (port.end.device, name) != (source.end.device, source.port):
            heard.add(Heard(port.end.device, name, UNTAGGED if own_number else vid, tagged))
    return heard
