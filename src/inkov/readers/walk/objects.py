"""The objects of SNMP that are read, and the names of all that lead to them.

A tool prints an object by the deepest name that it knows: with every MIB module at hand
`Q-BRIDGE-MIB::dot1qPvid.7`, with fewer `BRIDGE-MIB::dot1dBridge.7.1.4.5.1.1.7` or
`SNMPv2-SMI::mib-2.17.7.1.4.5.1.1.7`, with none `iso.3.6.1.2.1.17...` or `.1.3.6.1.2.1.17...`. All
of these are numbers with a name in front, so every name of a root, module, table and row that
stands above an object we read is listed here with its number (`_TREE`: `NAME PARENT.NUMBER`).

Objects of newer modules that say the same as older ones are read as those (`_ALSO`): their index
begins with the number of a bridge component, which is left out.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import cache
from typing import NamedTuple

__all__ = [
    "COLUMNS",
    "OBJECTS",
    "Column",
    "Numbers",
    "column_of",
    "in_family",
    "is_above_objects",
    "named_in_family",
    "numbers_of",
    "without_meaning",
]

_TREE = """
iso 1
org iso.3
dod org.6
internet dod.1
directory internet.1
mgmt internet.2
mib-2 mgmt.1
experimental internet.3
private internet.4
enterprises private.1
security internet.5
snmpV2 internet.6
snmpModules snmpV2.3
system mib-2.1
interfaces mib-2.2
ifTable interfaces.2
ifEntry ifTable.1
at mib-2.3
ip mib-2.4
ipAddrTable ip.20
ipAddrEntry ipAddrTable.1
ipAddressTable ip.34
ipAddressEntry ipAddressTable.1
icmp mib-2.5
tcp mib-2.6
udp mib-2.7
egp mib-2.8
transmission mib-2.10
snmp mib-2.11
dot1dBridge mib-2.17
dot1dBase dot1dBridge.1
dot1dBasePortTable dot1dBase.4
dot1dBasePortEntry dot1dBasePortTable.1
dot1dStp dot1dBridge.2
dot1dStpPortTable dot1dStp.15
dot1dStpPortEntry dot1dStpPortTable.1
dot1dStpExtPortTable dot1dStp.19
dot1dStpExtPortEntry dot1dStpExtPortTable.1
dot1dSr dot1dBridge.3
dot1dTp dot1dBridge.4
dot1dTpFdbTable dot1dTp.3
dot1dTpFdbEntry dot1dTpFdbTable.1
dot1dTpPortTable dot1dTp.4
dot1dTpPortEntry dot1dTpPortTable.1
dot1dStatic dot1dBridge.5
dot1dStaticTable dot1dStatic.1
dot1dStaticEntry dot1dStaticTable.1
pBridgeMIB dot1dBridge.6
pBridgeMIBObjects pBridgeMIB.1
qBridgeMIB dot1dBridge.7
qBridgeMIBObjects qBridgeMIB.1
dot1qBase qBridgeMIBObjects.1
dot1qTp qBridgeMIBObjects.2
dot1qFdbTable dot1qTp.1
dot1qFdbEntry dot1qFdbTable.1
dot1qTpFdbTable dot1qTp.2
dot1qTpFdbEntry dot1qTpFdbTable.1
dot1qTpGroupTable dot1qTp.3
dot1qTpGroupEntry dot1qTpGroupTable.1
dot1qStatic qBridgeMIBObjects.3
dot1qVlan qBridgeMIBObjects.4
dot1qVlanCurrentTable dot1qVlan.2
dot1qVlanCurrentEntry dot1qVlanCurrentTable.1
dot1qVlanStaticTable dot1qVlan.3
dot1qVlanStaticEntry dot1qVlanStaticTable.1
dot1qPortVlanTable dot1qVlan.5
dot1qPortVlanEntry dot1qPortVlanTable.1
dot1qPortVlanStatisticsTable dot1qVlan.6
ifMIB mib-2.31
ifMIBObjects ifMIB.1
ifXTable ifMIBObjects.1
ifXEntry ifXTable.1
ifStackTable ifMIBObjects.2
ifStackEntry ifStackTable.1
std iso.0
iso8802 std.8802
ieee802dot1 iso8802.1
ieee802dot1mibs ieee802dot1.1
lldpMIB ieee802dot1mibs.2
lldpObjects lldpMIB.1
lldpConfiguration lldpObjects.1
lldpStatistics lldpObjects.2
lldpLocalSystemData lldpObjects.3
lldpLocPortTable lldpLocalSystemData.7
lldpLocPortEntry lldpLocPortTable.1
lldpLocManAddrTable lldpLocalSystemData.8
lldpRemoteSystemsData lldpObjects.4
lldpRemTable lldpRemoteSystemsData.1
lldpRemEntry lldpRemTable.1
lldpRemManAddrTable lldpRemoteSystemsData.2
lldpExtensions lldpObjects.5
lldpXdot1MIB lldpExtensions.32962
lldpXdot1Objects lldpXdot1MIB.1
lldpXdot1Config lldpXdot1Objects.1
lldpXdot1LocalData lldpXdot1Objects.2
lldpXdot1RemoteData lldpXdot1Objects.3
lldpXdot1RemTable lldpXdot1RemoteData.1
lldpXdot1RemEntry lldpXdot1RemTable.1
lldpXdot1RemVlanNameTable lldpXdot1RemoteData.3
lldpXdot1RemVlanNameEntry lldpXdot1RemVlanNameTable.1
member-body iso.2
us member-body.840
ieee802dot3 us.10006
snmpmibs ieee802dot3.300
lagMIB snmpmibs.43
lagMIBObjects lagMIB.1
dot3adAgg lagMIBObjects.1
dot3adAggTable dot3adAgg.1
dot3adAggEntry dot3adAggTable.1
dot3adAggPortListTable dot3adAgg.2
dot3adAggPortListEntry dot3adAggPortListTable.1
dot3adAggPort lagMIBObjects.2
dot3adAggPortTable dot3adAggPort.1
dot3adAggPortEntry dot3adAggPortTable.1
ieee org.111
standards-association-numbers-series-standards ieee.2
lan-man-stds standards-association-numbers-series-standards.802
ieee802dot1/tc lan-man-stds.1
ieee802dot1mibs/tc ieee802dot1/tc.1
ieee8021BridgeMib ieee802dot1mibs/tc.2
ieee8021BridgeObjects ieee8021BridgeMib.1
ieee8021BridgeBase ieee8021BridgeObjects.1
ieee8021BridgeBasePortTable ieee8021BridgeBase.4
ieee8021BridgeBasePortEntry ieee8021BridgeBasePortTable.1
ieee8021QBridgeMib ieee802dot1mibs/tc.4
ieee8021QBridgeMibObjects ieee8021QBridgeMib.1
ieee8021QBridgeBase ieee8021QBridgeMibObjects.1
ieee8021QBridgeTable ieee8021QBridgeBase.1
ieee8021QBridgeEntry ieee8021QBridgeTable.1
ieee8021QBridgeVlan ieee8021QBridgeMibObjects.4
ieee8021QBridgeVlanCurrentTable ieee8021QBridgeVlan.2
ieee8021QBridgeVlanCurrentEntry ieee8021QBridgeVlanCurrentTable.1
ieee8021QBridgeVlanStaticTable ieee8021QBridgeVlan.3
ieee8021QBridgeVlanStaticEntry ieee8021QBridgeVlanStaticTable.1
ieee8021QBridgePortVlanTable ieee8021QBridgeVlan.5
ieee8021QBridgePortVlanEntry ieee8021QBridgePortVlanTable.1
lldpV2MIB ieee802dot1mibs/tc.13
lldpV2Objects lldpV2MIB.1
lldpV2LocalSystemData lldpV2Objects.3
lldpV2LocPortTable lldpV2LocalSystemData.7
lldpV2LocPortEntry lldpV2LocPortTable.1
lldpV2RemoteSystemsData lldpV2Objects.4
lldpV2RemTable lldpV2RemoteSystemsData.1
lldpV2RemEntry lldpV2RemTable.1
"""

_READ = """
sysName system.5
ifDescr ifEntry.2
ifType ifEntry.3
ifPhysAddress ifEntry.6
ifAdminStatus ifEntry.7
ipAdEntIfIndex ipAddrEntry.2
ipAdEntNetMask ipAddrEntry.3
ipAddressIfIndex ipAddressEntry.3
ipAddressType ipAddressEntry.4
ipAddressPrefix ipAddressEntry.5
ifName ifXEntry.1
ifAlias ifXEntry.18
ifStackStatus ifStackEntry.3
dot1dBaseBridgeAddress dot1dBase.1
dot1dBasePortIfIndex dot1dBasePortEntry.2
dot1dStpProtocolSpecification dot1dStp.1
dot1dStpPriority dot1dStp.2
dot1dStpDesignatedRoot dot1dStp.5
dot1dStpRootPort dot1dStp.7
dot1dStpVersion dot1dStp.16
dot1dStpPortPriority dot1dStpPortEntry.2
dot1dStpPortState dot1dStpPortEntry.3
dot1dStpPortPathCost dot1dStpPortEntry.5
dot1dStpPortPathCost32 dot1dStpPortEntry.11
dot1dStpPortAdminEdgePort dot1dStpExtPortEntry.2
dot1qGvrpStatus dot1qBase.5
dot1qVlanCurrentEgressPorts dot1qVlanCurrentEntry.4
dot1qVlanCurrentUntaggedPorts dot1qVlanCurrentEntry.5
dot1qVlanStaticName dot1qVlanStaticEntry.1
dot1qVlanStaticEgressPorts dot1qVlanStaticEntry.2
dot1qVlanForbiddenEgressPorts dot1qVlanStaticEntry.3
dot1qVlanStaticUntaggedPorts dot1qVlanStaticEntry.4
dot1qVlanStaticRowStatus dot1qVlanStaticEntry.5
dot1qPvid dot1qPortVlanEntry.1
dot1qPortAcceptableFrameTypes dot1qPortVlanEntry.2
dot1qPortIngressFiltering dot1qPortVlanEntry.3
dot1qPortGvrpStatus dot1qPortVlanEntry.4
lldpLocChassisId lldpLocalSystemData.2
lldpLocPortIdSubtype lldpLocPortEntry.2
lldpLocPortId lldpLocPortEntry.3
lldpLocPortDesc lldpLocPortEntry.4
lldpRemChassisIdSubtype lldpRemEntry.4
lldpRemChassisId lldpRemEntry.5
lldpRemPortIdSubtype lldpRemEntry.6
lldpRemPortId lldpRemEntry.7
lldpRemPortDesc lldpRemEntry.8
lldpRemSysName lldpRemEntry.9
lldpV2LocChassisId lldpV2LocalSystemData.2
lldpV2LocPortId lldpV2LocPortEntry.3
lldpV2LocPortDesc lldpV2LocPortEntry.4
lldpV2RemChassisId lldpV2RemEntry.6
lldpV2RemPortId lldpV2RemEntry.8
lldpV2RemPortDesc lldpV2RemEntry.9
lldpV2RemSysName lldpV2RemEntry.10
lldpXdot1RemPortVlanId lldpXdot1RemEntry.1
lldpXdot1RemVlanName lldpXdot1RemVlanNameEntry.2
dot3adAggPortListPorts dot3adAggPortListEntry.1
dot3adAggPortSelectedAggID dot3adAggPortEntry.12
dot3adAggPortAttachedAggID dot3adAggPortEntry.13
"""
"""From SNMPv2-MIB (RFC 3418), IF-MIB (2863), IP-MIB (4293), BRIDGE-MIB (4188), Q-BRIDGE-MIB (4363),
LLDP-MIB and its extension for VLANs (IEEE 802.1AB, 802.1Q), IEEE8023-LAG-MIB (802.1AX).
"""

_ALSO = """
dot1dBasePortIfIndex ieee8021BridgeBasePortEntry.3
dot1qGvrpStatus ieee8021QBridgeEntry.6
dot1qVlanCurrentEgressPorts ieee8021QBridgeVlanCurrentEntry.5
dot1qVlanCurrentUntaggedPorts ieee8021QBridgeVlanCurrentEntry.6
dot1qVlanStaticName ieee8021QBridgeVlanStaticEntry.3
dot1qVlanStaticEgressPorts ieee8021QBridgeVlanStaticEntry.4
dot1qVlanForbiddenEgressPorts ieee8021QBridgeVlanStaticEntry.5
dot1qVlanStaticUntaggedPorts ieee8021QBridgeVlanStaticEntry.6
dot1qVlanStaticRowStatus ieee8021QBridgeVlanStaticEntry.7
dot1qPvid ieee8021QBridgePortVlanEntry.1
dot1qPortAcceptableFrameTypes ieee8021QBridgePortVlanEntry.2
dot1qPortIngressFiltering ieee8021QBridgePortVlanEntry.3
dot1qPortGvrpStatus ieee8021QBridgePortVlanEntry.4
"""
"""The objects of IEEE8021-BRIDGE-MIB and IEEE8021-Q-BRIDGE-MIB, and which of RFC 4188 and RFC 4363
say the same.
"""

_SPELLED = {
    "dot1dBasePortIfIndex": "ieee8021BridgeBasePortIfIndex",
    "dot1qGvrpStatus": "ieee8021QBridgeMvrpEnabledStatus",
    "dot1qVlanCurrentEgressPorts": "ieee8021QBridgeVlanCurrentEgressPorts",
    "dot1qVlanCurrentUntaggedPorts": "ieee8021QBridgeVlanCurrentUntaggedPorts",
    "dot1qVlanStaticName": "ieee8021QBridgeVlanStaticName",
    "dot1qVlanStaticEgressPorts": "ieee8021QBridgeVlanStaticEgressPorts",
    "dot1qVlanForbiddenEgressPorts": "ieee8021QBridgeVlanForbiddenEgressPorts",
    "dot1qVlanStaticUntaggedPorts": "ieee8021QBridgeVlanStaticUntaggedPorts",
    "dot1qVlanStaticRowStatus": "ieee8021QBridgeVlanStaticRowStatus",
    "dot1qPvid": "ieee8021QBridgePvid",
    "dot1qPortAcceptableFrameTypes": "ieee8021QBridgePortAcceptableFrameTypes",
    "dot1qPortIngressFiltering": "ieee8021QBridgePortIngressFiltering",
    "dot1qPortGvrpStatus": "ieee8021QBridgePortMvrpEnabledStatus",
}

_WITHOUT_MEANING = """
sysDescr system.1
sysObjectID system.2
sysUpTime system.3
sysContact system.4
sysLocation system.6
sysServices system.7
dot1dBaseNumPorts dot1dBase.2
dot1dBaseType dot1dBase.3
dot1dBasePort dot1dBasePortEntry.1
dot1dBasePortCircuit dot1dBasePortEntry.3
dot1dBasePortDelayExceededDiscards dot1dBasePortEntry.4
dot1dBasePortMtuExceededDiscards dot1dBasePortEntry.5
dot1dStpTimeSinceTopologyChange dot1dStp.3
dot1dStpTopChanges dot1dStp.4
dot1dStpMaxAge dot1dStp.8
dot1dStpHelloTime dot1dStp.9
dot1dStpHoldTime dot1dStp.10
dot1dStpForwardDelay dot1dStp.11
dot1dStpBridgeMaxAge dot1dStp.12
dot1dStpBridgeHelloTime dot1dStp.13
dot1dStpBridgeForwardDelay dot1dStp.14
dot1dStpRootCost dot1dStp.6
dot1dStpPort dot1dStpPortEntry.1
dot1dStpPortEnable dot1dStpPortEntry.4
dot1dStpPortDesignatedRoot dot1dStpPortEntry.6
dot1dStpPortDesignatedCost dot1dStpPortEntry.7
dot1dStpPortDesignatedBridge dot1dStpPortEntry.8
dot1dStpPortDesignatedPort dot1dStpPortEntry.9
dot1dStpPortForwardTransitions dot1dStpPortEntry.10
dot1dTpLearnedEntryDiscards dot1dTp.1
dot1dTpAgingTime dot1dTp.2
dot1dTpFdbTable dot1dTp.3
dot1dTpPortTable dot1dTp.4
dot1dTpHCPortTable dot1dTp.5
dot1dTpPortOverflowTable dot1dTp.6
dot1qVlanVersionNumber dot1qBase.1
dot1qMaxVlanId dot1qBase.2
dot1qMaxSupportedVlans dot1qBase.3
dot1qNumVlans dot1qBase.4
dot1qFdbTable dot1qTp.1
dot1qTpFdbTable dot1qTp.2
dot1qTpGroupTable dot1qTp.3
dot1qVlanNumDeletes dot1qVlan.1
dot1qVlanFdbId dot1qVlanCurrentEntry.3
dot1qVlanStatus dot1qVlanCurrentEntry.6
dot1qVlanCreationTime dot1qVlanCurrentEntry.7
dot1qNextFreeLocalVlanIndex dot1qVlan.4
dot1qPortGvrpFailedRegistrations dot1qPortVlanEntry.5
dot1qPortGvrpLastPduOrigin dot1qPortVlanEntry.6
dot1qPortVlanStatisticsTable dot1qVlan.6
dot1qPortVlanHCStatisticsTable dot1qVlan.7
lldpConfiguration lldpObjects.1
lldpStatistics lldpObjects.2
lldpLocChassisIdSubtype lldpLocalSystemData.1
lldpLocSysName lldpLocalSystemData.3
lldpLocSysDesc lldpLocalSystemData.4
lldpLocSysCapSupported lldpLocalSystemData.5
lldpLocSysCapEnabled lldpLocalSystemData.6
lldpLocManAddrTable lldpLocalSystemData.8
lldpRemSysDesc lldpRemEntry.10
lldpRemSysCapSupported lldpRemEntry.11
lldpRemSysCapEnabled lldpRemEntry.12
lldpRemManAddrTable lldpRemoteSystemsData.2
lldpRemUnknownTLVTable lldpRemoteSystemsData.3
lldpRemOrgDefInfoTable lldpRemoteSystemsData.4
lldpXdot1Config lldpXdot1Objects.1
lldpXdot1LocalData lldpXdot1Objects.2
dot3adAggTable dot3adAgg.1
dot3adAggPortEntry dot3adAggPortTable.1
dot3adAggPortStatsTable dot3adAggPort.2
dot3adAggPortDebugTable dot3adAggPort.3
dot3adTablesLastChanged lagMIBObjects.3
"""
"""Known, and without meaning for which frames may go where: counters, timers, learnt addresses, the
present state of protocols (what is proved holds for every outcome of the spanning tree).
"""


class Column(NamedTuple):
    """An object that is read: its name, and how many numbers its index begins with that are left
    out.
    """

    name: str
    left_out: int = 0


Numbers = tuple[int, ...]


def _placed(text: str, known: dict[str, Numbers]) -> list[tuple[str, Numbers]]:
    """(name, numbers) of each line, its parent among `known` or above it."""
    placed: dict[str, Numbers] = {}
    listed = []
    for line in text.split("\n"):
        name, _, place = line.partition(" ")
        parent, _, number = place.rpartition(".")
        if name:
            above = placed.get(parent, known.get(parent, ()))
            numbers = (*above, int(number))
            placed[name] = numbers
            listed.append((name, numbers))
    return listed


_KNOWN = dict(_placed(_TREE, {}))
OBJECTS: dict[str, str] = {
    name: ".".join(map(str, numbers)) for name, numbers in _placed(_READ, _KNOWN)
}
"""Object -> its number, as text."""
COLUMNS: dict[Numbers, Column] = {
    **{numbers: Column(name) for name, numbers in _placed(_READ, _KNOWN)},
    **{numbers: Column(name, 1) for name, numbers in _placed(_ALSO, _KNOWN)},
}
"""The numbers of an object that is read -> what it is read as."""
_MEANINGLESS = dict(_placed(_WITHOUT_MEANING, _KNOWN))
_NUMBERS: dict[str, Numbers] = {
    **_MEANINGLESS,
    **{_SPELLED[name]: numbers for name, numbers in _placed(_ALSO, _KNOWN)},
    **dict(_placed(_READ, _KNOWN)),
    **_KNOWN,
}
_FAMILIES: tuple[Numbers, ...] = tuple(
    _KNOWN[name]
    for name in (
        "dot1dBridge",
        "lldpMIB",
        "lldpV2MIB",
        "lagMIB",
        "ieee8021BridgeMib",
        "ieee8021QBridgeMib",
    )
)
"""What stands below these may decide which frames go where: what is not read, is not understood."""


_TWICE = {name.partition("/")[0]: numbers for name, numbers in _KNOWN.items() if "/" in name}
"""Two modules have a `ieee802dot1mibs`, in two places."""


def numbers_of(module: str, names: Sequence[str]) -> Numbers | None:
    """The numbers that a name stands for, by its module ("" if not said) and the names above it,
    as far as they are spelled; None if it is not known.
    """
    name = names[-1]
    # A name that stands in two modules is told apart by the module, or by what stands before it.
    if name in _TWICE and (module == "IEEE8021-TC-MIB" or "ieee" in names[:-1]):
        return _TWICE[name]
    return _NUMBERS.get(name)


@cache
def _called() -> dict[Numbers, str]:
    return {numbers: name for name, numbers in reversed(_NUMBERS.items())}


def is_above_objects(name: str) -> bool:
    """True for the name of a root, a module, a table or a row: no object by itself."""
    return name in _KNOWN


def in_family(numbers: Numbers) -> bool:
    """True for an object of a module that may decide which frames go where."""
    return any(numbers[: len(family)] == family for family in _FAMILIES)


def named_in_family(name: str) -> bool:
    """True for a name, not known here, of an object that may decide which frames go where."""
    return _FAMILY_NAME.match(name) is not None and not name.startswith(_MEANINGLESS_NAMES)


_FAMILY_NAME = re.compile(r"(?:dot1[dqv]|lldp|lldpV2|dot3ad|ieee8021)[A-Z]")
_MEANINGLESS_NAMES = (
    "dot1dStpPort",
    "dot1dTp",
    "dot1qFdb",
    "dot1qTp",
    "dot3adAggActor",
    "dot3adAggPartner",
    "dot3adAggPort",
    "lldpConfig",
    "lldpLocManAddr",
    "lldpMessage",
    "lldpNotification",
    "lldpPortConfig",
    "lldpReinit",
    "lldpRemManAddr",
    "lldpRemOrgDefInfo",
    "lldpRemUnknownTLV",
    "lldpStats",
    "lldpTx",
    "lldpXdot1Config",
    "lldpXdot1Loc",
)


def without_meaning(numbers: Numbers) -> bool:
    """True for an object that is known to say nothing of which frames go where."""
    known = any(numbers[: len(above)] == above for above in _MEANINGLESS.values())
    return known or not in_family(numbers)


def column_of(numbers: Numbers) -> str:
    """What the column (or table) is called that an object belongs to: its name, as far as it is
    known, and the numbers behind that tell it from others.
    """
    called = _called()
    # The deepest name that is known, and as many numbers more as tell one column from the next.
    for length in range(len(numbers), 0, -1):
        name = called.get(numbers[:length])
        if name is not None:
            further = 0 if name.endswith("Table") else 1 if in_family(numbers) else 3
            if name.endswith("Entry"):
                further = 1
            return ".".join([name, *map(str, numbers[length : length + further])])
    return ".".join(map(str, numbers[:10]))
