"""What has to stay on lists of trunks though one of the two switches has nobody in it: VLANs that
only pass, as the one way between their members or as the spare of another one.
"""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from inkov.campus import Origin
from inkov.checks import Site
from inkov.forwarding import Fabric
from inkov.forwarding.circles import lone_links
from inkov.plan import Plan
from inkov.vlanset import VlanSet, bits, union
from inkov.wiring import End

__all__ = ["CLEANING", "Stay", "staying"]

CLEANING = frozenset(
    {"surplus-vlans", "management-surplus", "trunk-allows-everything", "vlan-unused"}
)
"""Rules that find what could go: whoever mends these asks what could not."""


class Stay(Struct, frozen=True):
    """VLANs that stay on a link, and why. `origin` is the list of the first end."""

    a: End
    b: End
    vlans: VlanSet
    says: str
    origin: Origin


def staying(fabric: Fabric, plan: Plan) -> Iterator[Stay]:
    """What stays, link by link."""
    site = Site(fabric, plan)
    passing: list[tuple[int, int]] = []  # (link, VLANs that stay there)
    for joined in site.trunk_links:
        served = [site.served.get(end.end.device, 0) for end in (joined.a, joined.b)]
        stay = site.shared[joined.number] & site.needs[joined.number] & ~(served[0] & served[1])
        passing.append((joined.number, stay))
    alone = _only_ways(fabric, site, union(stay for _, stay in passing))
    for joined, (number, stay) in zip(site.trunk_links, passing, strict=True):
        only = stay & alone.get(number, 0)
        for vlans, says in (
            (only, "the only way between its members"),
            (stay & ~only, "a spare way: another one may fail"),
        ):
            # Only what stays is told.
            if vlans:
                origin = site.places.of(joined.a, "allowed").origin
                yield Stay(joined.a.end, joined.b.end, VlanSet(vlans), says, origin)


def _only_ways(fabric: Fabric, site: Site, vlans: int) -> dict[int, int]:
    """Link -> the VLANs of a mask for which it is on no circle."""
    masks: dict[int, int] = {}
    links = list(enumerate(fabric.wiring.links))
    for vid in bits(vlans):
        # Links that are down are no way.
        own = [(n, link) for n, link in links if site.shared[n] >> vid & 1 and fabric.link_up[n]]
        lone = lone_links((link.a.device, link.b.device) for _, link in own)
        for at in lone:
            # On no circle: the only way.
            number = own[at][0]
            masks[number] = masks.get(number, 0) | 1 << vid
    return masks
