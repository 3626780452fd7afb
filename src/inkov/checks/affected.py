"""The blast radius of a finding: the host ports and named hosts that it touches."""

from __future__ import annotations

from functools import cached_property

from inkov.checks.catalogue import Affected, Found
from inkov.checks.site import Site
from inkov.vlanset import VlanSet, bit
from inkov.wiring import End

__all__ = ["Radius"]


class Radius:
    """Counts what a finding touches: the members of the VLANs it names as affected, everywhere or
    on the switches that are cut off; the host ports among its places; and where a place is a VLAN
    of a switch, the members there.
    """

    def __init__(self, site: Site) -> None:
        self.site = site

    @cached_property
    def _hosts(self) -> set[End]:
        return {resolved.end for resolved in self.site.host_ports}

    @cached_property
    def _members(self) -> dict[int, set[End]]:
        """The host ports of each VLAN; those that are trunks aside, which are members of all."""
        ends_in: dict[int, set[End]] = {}
        for resolved in self.site.host_ports:
            free = resolved.free
            members = free.untagged | (bit(free.pvid)) | (free.admit & free.emit)
            # A port in many VLANs is a trunk: counted, it would be in every blast radius.
            for vid in VlanSet(members) if members.bit_count() < 8 else ():
                ends_in.setdefault(vid, set()).add(resolved.end)
        return ends_in

    def of(self, finding: Found) -> Affected:
        ends: set[End] = set()
        # VID 0 stands for none.
        for vid in VlanSet(finding.vlans & ~1):
            ends |= {
                end
                for end in self._members.get(vid, ())
                if finding.among is None or end.device in finding.among
            }
        for where in finding.where:
            if where.port is not None and End(where.switch, where.port) in self._hosts:
                ends.add(End(where.switch, where.port))
            elif where.port is None and where.vlan and where.switch:
                # A place that is a VLAN of a switch: its members there.
                ends |= {
                    end for end in self._members.get(where.vlan, ()) if end.device == where.switch
                }
        hosts = [name for end, names in self.site.hosts_at.items() if end in ends for name in names]
        return Affected(len(ends), tuple(sorted(hosts)))
