"""The shape of OpenConfig JSON as far as it is read: typed structs for msgspec, and no behaviour.

A member that an augmentation adds may come with its module's name or without: such a member has two
fields, the prefixed one (RFC 7951, section 4) and the plain one. Members that are not listed here
are skipped while decoding; `account` accounts for them.
"""

from __future__ import annotations

from typing import Any

from msgspec import Struct, field
from msgspec.structs import fields


class SwitchedConfig(Struct, rename="kebab"):
    interface_mode: str | None = None
    native_vlan: int | None = None
    access_vlan: int | None = None
    trunk_vlans: list[int | str] | None = None


class Switched(Struct):
    config: SwitchedConfig | None = None
    state: SwitchedConfig | None = None


class EthernetConfig(Struct, rename="kebab"):
    aggregate_id: str | None = None
    port_speed: str | None = None
    lag_type: str | None = None
    aggregate_id_q: str | None = field(default=None, name="openconfig-if-aggregate:aggregate-id")


class Switching(Struct):
    config: EthernetConfig | None = None
    state: EthernetConfig | None = None
    plain: Switched | None = field(default=None, name="switched-vlan")
    prefixed: Switched | None = field(default=None, name="openconfig-vlan:switched-vlan")


class AddressConfig(Struct, rename="kebab"):
    ip: str | None = None
    prefix_length: int | None = None


class AddressEntry(Struct):
    ip: str | None = None
    config: AddressConfig | None = None
    state: AddressConfig | None = None


class Addresses(Struct):
    address: list[AddressEntry] = []


class Family(Struct):
    addresses: Addresses = field(default_factory=Addresses)


class VlanIdConfig(Struct, rename="kebab"):
    vlan_id: int | str | None = None


class VlanIdHolder(Struct):
    config: VlanIdConfig | None = None
    state: VlanIdConfig | None = None


class Match(Struct, rename="kebab"):
    """The frames a sub-interface takes. Only those with one certain tag are followed."""

    single_tagged: VlanIdHolder | None = None
    single_tagged_list: Any = None
    single_tagged_range: Any = None
    double_tagged: Any = None
    double_tagged_inner_list: Any = None
    double_tagged_outer_list: Any = None
    double_tagged_inner_range: Any = None
    double_tagged_outer_range: Any = None
    double_tagged_inner_outer_range: Any = None

    @property
    def several(self) -> str:
        """The name of a match of several tags, if there is one."""
        for field_ in fields(self):
            value = getattr(self, field_.name)
            if field_.name != "single_tagged" and value:
                return field_.encode_name
        return ""


class SubVlan(Struct, rename="kebab"):
    config: VlanIdConfig | None = None
    state: VlanIdConfig | None = None
    match: Match | None = None
    ingress_mapping: Any = None
    egress_mapping: Any = None


class L3(Struct):
    ipv4_plain: Family | None = field(default=None, name="ipv4")
    ipv4: Family | None = field(default=None, name="openconfig-if-ip:ipv4")
    ipv6_plain: Family | None = field(default=None, name="ipv6")
    ipv6: Family | None = field(default=None, name="openconfig-if-ip:ipv6")


class SubConfig(Struct):
    enabled: bool | None = None
    description: str | None = None


class Subinterface(L3):
    index: int = 0
    config: SubConfig | None = None
    state: SubConfig | None = None
    plain: SubVlan | None = field(default=None, name="vlan")
    prefixed: SubVlan | None = field(default=None, name="openconfig-vlan:vlan")


class Subinterfaces(Struct):
    subinterface: list[Subinterface] = []


class RoutedConfig(Struct):
    vlan: int | str | None = None


class Routed(L3):
    config: RoutedConfig | None = None
    state: RoutedConfig | None = None


class InterfaceConfig(Struct):
    name: str | None = None
    type: str | None = None
    enabled: bool | None = None
    description: str | None = None
    mtu: int | None = None


class Interface(Struct):
    name: str | None = None
    config: InterfaceConfig | None = None
    state: InterfaceConfig | None = None
    ethernet_plain: Switching | None = field(default=None, name="ethernet")
    ethernet: Switching | None = field(default=None, name="openconfig-if-ethernet:ethernet")
    aggregation_plain: Switching | None = field(default=None, name="aggregation")
    aggregation: Switching | None = field(default=None, name="openconfig-if-aggregate:aggregation")
    subinterfaces: Subinterfaces | None = None
    routed_plain: Routed | None = field(default=None, name="routed-vlan")
    routed: Routed | None = field(default=None, name="openconfig-vlan:routed-vlan")


class VlanConfig(Struct, rename="kebab"):
    vlan_id: int | None = None
    name: str | None = None
    status: str | None = None


class VlanEntry(Struct, rename="kebab"):
    vlan_id: int | str | None = None
    config: VlanConfig | None = None
    state: VlanConfig | None = None


class Vlans(Struct):
    vlan: list[VlanEntry] = []


class InstanceConfig(Struct):
    name: str | None = None
    type: str | None = None


class MemberConfig(Struct):
    interface: str | None = None
    subinterface: int | None = None


class InstanceMember(Struct):
    id: str | None = None
    config: MemberConfig | None = None
    state: MemberConfig | None = None


class InstanceMembers(Struct):
    interface: list[InstanceMember] = []


class Instance(Struct):
    name: str | None = None
    config: InstanceConfig | None = None
    state: InstanceConfig | None = None
    interfaces: InstanceMembers | None = None
    vlans: Vlans | None = None


class Instances(Struct, rename="kebab"):
    network_instance: list[Instance] = []


class Interfaces(Struct):
    interface: list[Interface] = []


class SystemConfig(Struct):
    hostname: str | None = None


class System(Struct):
    config: SystemConfig | None = None
    state: SystemConfig | None = None


class NeighbourState(Struct, rename="kebab"):
    system_name: str | None = None
    chassis_id: str | None = None
    port_id: str | None = None
    port_description: str | None = None


class NeighbourEntry(Struct):
    state: NeighbourState | None = None


class Neighbours(Struct):
    neighbor: list[NeighbourEntry] = []


class LldpInterface(Struct):
    name: str | None = None
    config: InterfaceConfig | None = None
    neighbors: Neighbours | None = None


class LldpInterfaces(Struct):
    interface: list[LldpInterface] = []


class Lldp(Struct):
    interfaces: LldpInterfaces | None = None


VidItems = list[int | str] | int | str | None


class LacpConfig(Struct, rename="kebab"):
    name: str | None = None
    lacp_mode: str | None = None


class LacpInterface(Struct):
    name: str | None = None
    config: LacpConfig | None = None
    state: LacpConfig | None = None


class LacpInterfaces(Struct):
    interface: list[LacpInterface] = []


class Lacp(Struct):
    interfaces: LacpInterfaces | None = None


class TreePortConfig(Struct, rename="kebab"):
    name: str | None = None
    cost: int | None = None
    port_priority: int | None = None
    port_num: int | None = None
    role: str | None = None
    port_state: str | None = None


class TreePort(Struct):
    name: str | None = None
    config: TreePortConfig | None = None
    state: TreePortConfig | None = None


class TreePorts(Struct):
    interface: list[TreePort] = []


class TreeConfig(Struct, rename="kebab"):
    bridge_priority: int | None = None
    bridge_address: str | None = None
    designated_root_address: str | None = None
    vlan: VidItems = None


class StpTree(Struct, rename="kebab"):
    config: TreeConfig | None = None
    state: TreeConfig | None = None
    interfaces: TreePorts | None = None
    mst_id: int | None = None
    vlan_id: int | None = None


class MstInstances(Struct, rename="kebab"):
    mst_instance: list[StpTree] = []


class MstpConfig(Struct):
    name: str | None = None
    revision: int | None = None


class Mstp(Struct, rename="kebab"):
    config: MstpConfig | None = None
    state: MstpConfig | None = None
    mst_instances: MstInstances | None = None


class PerVlan(Struct):
    vlan: list[StpTree] = []


class StpPortConfig(Struct, rename="kebab"):
    name: str | None = None
    edge_port: str | None = None
    guard: str | None = None
    bpdu_guard: bool | None = None


class StpPort(Struct):
    name: str | None = None
    config: StpPortConfig | None = None
    state: StpPortConfig | None = None


class StpPorts(Struct):
    interface: list[StpPort] = []


class StpGlobalConfig(Struct, rename="kebab"):
    enabled_protocol: list[str] = []
    bpdu_guard: bool | None = None


class StpGlobal(Struct):
    config: StpGlobalConfig | None = None
    state: StpGlobalConfig | None = None


class Stp(Struct, rename="kebab"):
    overall: StpGlobal | None = field(default=None, name="global")
    rstp: StpTree | None = None
    mstp: Mstp | None = None
    per_vlan: PerVlan | None = None
    interfaces: StpPorts | None = None


class Root(Struct):
    interfaces: Interfaces | None = None
    interfaces_q: Interfaces | None = field(default=None, name="openconfig-interfaces:interfaces")
    vlans: Vlans | None = None
    vlans_q: Vlans | None = field(default=None, name="openconfig-vlan:vlans")
    instances: Instances | None = field(default=None, name="network-instances")
    instances_q: Instances | None = field(
        default=None, name="openconfig-network-instance:network-instances"
    )
    system: System | None = None
    system_q: System | None = field(default=None, name="openconfig-system:system")
    lldp: Lldp | None = None
    lldp_q: Lldp | None = field(default=None, name="openconfig-lldp:lldp")
    lacp: Lacp | None = None
    lacp_q: Lacp | None = field(default=None, name="openconfig-lacp:lacp")
    stp: Any = None
    acl: Any = None
    acl_q: Any = field(default=None, name="openconfig-acl:acl")
    stp_q: Any = field(default=None, name="openconfig-spanning-tree:stp")
