"""From the campus and its wiring to the fabric: runs the stages for every port and every link.

The order is that of the stages: settle (1, 2), who is at the far end and what comes of negotiation
(3), the view and the switch's own VLAN table (4), bridges and sub-interfaces, and last what crosses
each link (5).
"""

from __future__ import annotations

from inkov.campus import Basis, Campus, Device, Mode, Origin, Port, PortKind, Private, Vlan
from inkov.forwarding.completion import Completed, complete
from inkov.forwarding.crossing import cross
from inkov.forwarding.fabric import Assumption, BridgePort, BridgeState, Fabric, Resolved
from inkov.forwarding.negotiation import OUTCOME, Party, negotiates, operational_mode, party
from inkov.forwarding.view import ALL, NOTHING, PortView, view_of
from inkov.vlanset import VlanSet, bit
from inkov.wiring import End, Wiring, settled
from inkov.wiring.links import bundle_of
from inkov.words import counted

__all__ = ["resolve"]

_UNFOLLOWED = (
    "a filter of packets at a port that switches is not followed: what it stops is taken to pass"
)


def resolve(campus: Campus, wiring: Wiring) -> Fabric:
    """All stages of all ports and links."""
    # Unaware bridges are told in terms of aware ones first; nothing below knows of them.
    campus = settled(campus, wiring)
    fabric = Fabric(campus, wiring)
    builder = _Builder(fabric)
    for device in campus.devices.values():
        builder.complete(device)
    for device in campus.devices.values():
        builder.negotiate(device)
        # Negotiation needs the modes of all far ends, so it comes after.
        builder.bridge(device)
    builder.second_sources()
    cross(fabric)
    return fabric


def _of_all(device: Device, ports: list[Port], says: str) -> tuple[str, str]:
    """One sentence for all ports of which it is the same, and the port that it is about: "" for
    several.
    """
    first, others = ports[0], len(ports) - 1
    if not others:
        return first.name, says
    more = f"{first.name} and {counted(others, 'more port')}"
    return "", f"{device.name}, {more}: {says}"


class _Builder:
    def __init__(self, fabric: Fabric) -> None:
        self.fabric = fabric
        self.views: dict[tuple[Completed, Mode, bool], PortView] = {}
        self.home: dict[
            End, str
        ] = {}  # the bridge of each port that a bridge other than the main one names
        self.tables: dict[
            tuple[str, str], int
        ] = {}  # the live VIDs of bridges with a VLAN table of their own

    def second_sources(self) -> None:
        """Where two files describe a device, every answer about it rests on one of them."""
        for second in self.fabric.campus.others:
            first = self.fabric.campus.devices[second.name].origin.file
            self._assume(
                second.name,
                "",
                f"{second.name} is described by two files: {first} counts",
                second.origin,
                sure=True,  # what they disagree about is a finding
            )

    # Stages 1 and 2.

    def complete(self, device: Device) -> None:
        ports = self.fabric.ports
        if device.origin.basis is Basis.ASSUMED:
            self.fabric.assumptions.append(
                Assumption(device.name, "", device.origin.says, device.origin, sure=True)
            )
        for port in device.ports.values():
            end = End(device.name, port.name)
            completed = complete(port, device.platform)
            bundle = bundle_of(device, port.name) if port.bundle is not None else port.name
            up = self._up(device, port)
            ports[end] = Resolved(
                end, port, completed, Party.NOBODY, completed.mode, NOTHING, NOTHING, up
            )
            # A member does not forward: its bundle does.
            if bundle != port.name:
                ports[end].bundle, ports[end].up = bundle, False
            elif port.bundle is not None:
                # A bundle that is not there cannot forward in its place.
                says = (
                    f"the bundle {port.bundle.value!r} is not there to join: the port is taken as"
                    " it is by itself"
                )
                self._assume(device.name, port.name, says, port.bundle.origin)
        self._unknown(device)
        self._unfollowed(device)
        self.fabric.live[device.name] = self._live(device)
        for bridge in device.bridges.values():
            self.home.update((End(device.name, port), bridge.name) for port in bridge.ports)
            if bridge.vlans is not None:
                self.tables[device.name, bridge.name] = _active(bridge.vlans)
        self._unaware(device)

    def _unaware(self, device: Device) -> None:
        """A bridge that takes no notice of tags has every VID (FM 2.11)."""
        if not _has_unaware(device):
            return
        unaware: dict[str, set[bool]] = {}
        for port in device.ports.values():
            end = End(device.name, port.name)
            # The other half of an unaware port is on a bridge of its own, with every VID.
            if port.implied:
                self.tables[device.name, self.home[end]] = ALL
            elif port.bundle is None and self.fabric.ports[end].completed.mode is not Mode.ROUTED:
                tags = unaware.setdefault(self.home.get(end, ""), set())
                tags.add(self._is_unaware(device, port))
        # One unaware port is enough: all frames get in by it.
        for bridge, tags in unaware.items():
            if True in tags:
                self.tables[device.name, bridge] = ALL
            # A bridge with both kinds is unusual, and perhaps misread.
            if len(tags) > 1:
                says = (
                    f"{f'bridge {bridge}' if bridge else 'the bridge'} has ports that take no"
                    " notice of tags, and others that do: these count in their own VLANs"
                )
                self._assume(device.name, "", says, device.origin)

    def _unknown(self, device: Device) -> None:
        """What the source does not tell of ports, and what could be read otherwise: said once for
        all ports of which it is the same.
        """
        ports: dict[tuple[str, bool], list[Port]] = {}
        for port in device.ports.values():
            if port.unknown and not port.implied:
                ports.setdefault((port.unknown, True), []).append(port)
            if port.reading:
                ports.setdefault((port.reading, False), []).append(port)
        for (says, unknown), concerned in ports.items():
            name, text = _of_all(device, concerned, says)
            passes = unknown and any(self._is_unaware(device, port) for port in concerned)
            at = concerned[0].origin
            self._assume(device.name, name, text, at, unknown=unknown, passes=passes)

    def _unfollowed(self, device: Device) -> None:
        """Filters at ports that switch (FM 5.7). They cannot stop too little: that something is
        apart is sure beside them, and that somebody is reached is not.
        """
        concerned = [
            port
            for port in device.ports.values()
            if (port.filters_in or port.filters_out)
            and self.fabric.ports[End(device.name, port.name)].completed.mode is not Mode.ROUTED
        ]
        if concerned:
            name, text = _of_all(device, concerned, _UNFOLLOWED)
            self._assume(device.name, name, text, concerned[0].origin, sure=True, passes=True)

    def _live_in(self, device: str, bridge: str) -> int:
        """FM 3.3: the VIDs of the bridge's own table, or else of the device's."""
        return self.tables.get((device, bridge), self.fabric.live[device])

    def _up(self, device: Device, port: Port) -> bool:
        """FM 1.6: a port that is shut, and what stands on it, forwards nothing."""
        if not port.on:
            return False
        if port.kind is PortKind.SUB:
            parent = device.ports.get(port.parent.value) if port.parent else None
            # Nothing below it, or no tag: it could be anything.
            if parent is None or parent.kind is PortKind.SUB or port.outer is None:
                says = (
                    "a sub-interface without an existing port under it, or without a tag: it is"
                    " left out"
                )
                self._assume(device.name, port.name, says, port.origin)
                return False
            return self._up(device, parent)
        if port.kind is PortKind.BUNDLE:
            members = [
                p
                for p in device.ports.values()
                if p.bundle is not None and p.bundle.value == port.name
            ]
            # A bundle without members is taken as it is: its file may not list them.
            return not members or any(member.on for member in members)
        return True

    def _live(self, device: Device) -> int:
        """The VIDs the switch forwards: its table's active ones (FM 3.3), VID 1 unless the table
        says otherwise.
        """
        # The switch has the VLANs of its table; of a system whose table is its membership, those
        # below.
        if device.vlans is not None and not device.table_is_membership:
            return _active(device.vlans)
        live = 2
        if _has_unaware(device):
            return ALL  # FM 2.11
        for port in device.ports.values():
            completed = self.fabric.ports[End(device.name, port.name)].completed
            for value in completed:
                if isinstance(value, VlanSet):
                    # A list of an access port has no meaning.
                    live |= (
                        value.bits
                        if value is not completed.allowed or completed.mode is Mode.TRUNK
                        else 0
                    )
            for vid in (
                completed.access_vlan,
                completed.voice_vlan,
                completed.native_vlan,
                completed.pvid,
                completed.primary,
                completed.secondary,
            ):
                live |= bit(vid)
        for gateway in device.gateways:
            live |= 1 << gateway.vid
        bridged = bool(device.gateways) or any(
            not port.unknown
            and self.fabric.ports[End(device.name, port.name)].completed.mode is not Mode.ROUTED
            for port in device.ports.values()
        )
        if bridged and not device.table_is_membership:  # a router alone has no VLANs of its own
            says = f"{device.name} brings no VLAN table: taken to have every VLAN its ports name"
            self._assume(device.name, "", says, device.origin)
        return live

    def _is_unaware(self, device: Device, port: Port) -> bool:
        return self.fabric.ports[End(device.name, port.name)].completed.mode is Mode.UNAWARE

    # Stages 3 and 4.

    def negotiate(self, device: Device) -> None:
        within: dict[tuple[int, int], PortView] = {}
        for port in device.ports.values():
            resolved = self.fabric.ports[End(device.name, port.name)]
            if negotiates(resolved.completed):
                resolved.remote = self._remote(resolved.end, party(resolved.completed))
                resolved.mode = operational_mode(resolved.completed, resolved.remote)
            # A port that is down forwards nothing: no view is needed.
            if not resolved.up:
                continue
            resolved.free = self._view(device, resolved, resolved.mode)
            live = self._live_in(device.name, self.home.get(resolved.end, ""))
            # Ports set alike share one view: a campus has thousands of these.
            key = id(resolved.free), live
            if key not in within:
                routed = resolved.mode is Mode.ROUTED
                within[key] = resolved.free if routed else resolved.free.within(live)
            resolved.view = within[key]
            registers = resolved.completed.registration and resolved.mode is not Mode.ROUTED
            # Registration at both ends adds what the far end may ask for.
            if registers and self._registers(resolved):
                resolved.view = _registered(resolved.view, live, port)

    def _remote(self, end: End, local: Party) -> Party:
        fars = self.fabric.wiring.around(end)
        parties = sorted({party(self.fabric.ports[far].completed) for far in fars})
        # Where reports disagree about who is there, the one that makes the port a trunk counts
        # (FM 1.4).
        trunks = [remote for remote in parties if OUTCOME[local][remote] is Mode.TRUNK]
        return next(iter(trunks or parties), Party.NOBODY)

    def _view(self, device: Device, resolved: Resolved, mode: Mode) -> PortView:
        completed = resolved.completed
        community = False
        if mode is Mode.PRIVATE_HOST and completed.secondary:
            vlan = device.row(completed.secondary)
            # Not said to be isolated: a community talks more, so nothing is taken for apart.
            community = (
                vlan is None or vlan.private is None or vlan.private.value is not Private.ISOLATED
            )
            if vlan is None or vlan.private is None:
                says = (
                    f"VLAN {completed.secondary} is not said to be isolated or community: taken as"
                    " a community"
                )
                self._assume(device.name, resolved.end.port, says, resolved.stated.origin)
        key = (completed, mode, community)
        view = self.views.get(key)
        if view is None:
            view = self.views[key] = view_of(completed, mode, community=community)
        return view

    # Bridges and their ports (FM 1.8, FM 1.9).

    def bridge(self, device: Device) -> None:
        fabric = self.fabric
        for inside in device.bridges.values():
            for name, origin in inside.ports.items():
                # A port that is not there cannot forward; the bridge may still be right.
                if name not in device.ports:
                    says = (
                        f"bridge {inside.name} names a port {name!r} that the device does not have:"
                        " left out"
                    )
                    self._assume(device.name, name, says, origin)
        for port in device.ports.values():
            resolved = fabric.ports[End(device.name, port.name)]
            if not resolved.up:
                continue
            # A routed port is a bridge by itself.
            if resolved.mode is Mode.ROUTED:
                bridge = self._bridge(device.name, f"routed {port.name}", routed=True)
                fabric.bridges[bridge].routed = port.name
            else:
                bridge = self._bridge(device.name, self.home.get(resolved.end, ""))
            self._add(device, resolved, bridge)
        # A gateway may be on a bridge without any port that is up.
        for gateway in device.gateways:
            self._bridge(device.name, gateway.bridge)

    def _bridge(self, device: str, name: str, *, routed: bool = False) -> int:
        fabric = self.fabric
        number = fabric.bridge_of.get((device, name))
        if number is None:
            number = fabric.bridge_of[device, name] = len(fabric.bridges)
            fabric.bridges.append(
                BridgeState(device, name, 2 if routed else self._live_in(device, name))
            )
        return number

    def _add(self, device: Device, resolved: Resolved, bridge: int) -> None:
        fabric, port = self.fabric, resolved.stated
        end, outer, view = resolved.end, 0, resolved.view
        if port.kind is PortKind.SUB:
            assert port.parent is not None and port.outer is not None
            end = End(device.name, bundle_of(device, port.parent.value))
            outer = port.outer.value
            on_wire = [fabric.bridge_ports[n] for n in fabric.at.get(end, ())]
            # Two sub-interfaces with one tag: which of them gets a frame is not known.
            if not port.implied and any(sub.outer == outer for sub in on_wire):
                self._assume(
                    device.name,
                    port.name,
                    f"a second sub-interface with tag {outer}: left out",
                    port.origin,
                )
                return
            # Two tags on one frame: the inner one is nothing that is followed.
            if view.admit or view.emit & ~view.untagged:
                if not self._is_unaware(device, port):  # there, its reading says when that matters
                    says = "frames with two tags are not followed: only its untagged VLAN counts"
                    self._assume(device.name, port.name, says, port.origin)
                view = PortView(
                    view.form,
                    view.pvid,
                    0,
                    view.emit & view.untagged,
                    view.untagged,
                    view.protected,
                )
        number = len(fabric.bridge_ports)
        on_request = self._on_request(device, resolved, hosts=fabric.has_hosts(end))
        fabric.bridge_ports.append(
            BridgePort(number, bridge, end, port.name, outer, view, on_request)
        )
        fabric.bridges[bridge].ports.append(number)
        fabric.at.setdefault(end, []).append(number)

    def _on_request(
        self, device: Device, resolved: Resolved, *, hosts: bool
    ) -> tuple[PortView, ...]:
        """What the port becomes for a host that asks to be a trunk (FM 4.4), or that registers
        every VLAN (FM 4.5), there or beyond the switch at the other end.
        """
        completed = resolved.completed
        asks = hosts and negotiates(completed)
        # Nothing to ask for: no negotiation, no registration.
        if not completed.registration and not asks:
            return ()
        live = self._live_in(device.name, self.home.get(resolved.end, ""))
        views = [resolved.view]
        # A trunk already has what a host could ask for.
        if asks and resolved.mode is not Mode.TRUNK:
            views.append(self._view(device, resolved, Mode.TRUNK).within(live))
        if completed.registration and resolved.mode is not Mode.ROUTED:
            views = [_registered(view, live, resolved.stated) for view in views]
        return tuple(view for view in views if view != resolved.view)

    def _registers(self, resolved: Resolved) -> bool:
        """True if a port at the other end of a link takes part in registration, too (FM 1.11)."""
        fars = self.fabric.wiring.around(resolved.end)
        return any(self.fabric.ports[far].completed.registration for far in fars)

    def _assume(
        self,
        device: str,
        port: str,
        says: str,
        origin: Origin,
        *,
        sure: bool = False,
        unknown: bool = False,
        passes: bool = False,
    ) -> None:
        stated = Origin(origin.file, origin.line, origin.pointer, Basis.ASSUMED, says)
        self.fabric.assumptions.append(
            Assumption(device, port, says, stated, sure, unknown, passes)
        )


def _has_unaware(device: Device) -> bool:
    """True if a port of a device takes no notice of tags; no platform has that by default."""
    return any(
        port.mode is not None and port.mode.value is Mode.UNAWARE for port in device.ports.values()
    )


def _registered(view: PortView, live: int, port: Port) -> PortView:
    """A view with all that the switch has registered, but for what may not be registered there
    (FM 4.5).
    """
    joined = live & ~(port.forbidden.value.bits if port.forbidden is not None else 0)
    emit = view.emit | joined
    return PortView(view.form, view.pvid, view.admit | joined, emit, view.untagged, view.protected)


def _active(table: dict[int, Vlan]) -> int:
    """The VIDs that a VLAN table has, active (FM 3.3), VID 1 unless it says otherwise."""
    live = 2
    for vlan in table.values():
        if vlan.active is None or vlan.active.value:
            live |= 1 << vlan.vid
        else:
            # A VLAN that is there and suspended is not forwarded.
            live &= ~(1 << vlan.vid)
    return live
