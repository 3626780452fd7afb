"""Short MIB modules for the tests, with the standards' names, numbers and syntax: what makes a tool
print `Q-BRIDGE-MIB::dot1qPvid.7`. No package has the real ones.
"""

from __future__ import annotations

from pathlib import Path

_SMI = """SNMPv2-SMI DEFINITIONS ::= BEGIN
org OBJECT IDENTIFIER ::= { iso 3 }
dod OBJECT IDENTIFIER ::= { org 6 }
internet OBJECT IDENTIFIER ::= { dod 1 }
mgmt OBJECT IDENTIFIER ::= { internet 2 }
mib-2 OBJECT IDENTIFIER ::= { mgmt 1 }
transmission OBJECT IDENTIFIER ::= { mib-2 10 }
private OBJECT IDENTIFIER ::= { internet 4 }
enterprises OBJECT IDENTIFIER ::= { private 1 }
snmpV2 OBJECT IDENTIFIER ::= { internet 6 }
END
"""
_TC = """SNMPv2-TC DEFINITIONS ::= BEGIN
DisplayString ::= TEXTUAL-CONVENTION DISPLAY-HINT "255a" STATUS current DESCRIPTION ""
 SYNTAX OCTET STRING (SIZE (0..255))
SnmpAdminString ::= TEXTUAL-CONVENTION DISPLAY-HINT "255t" STATUS current DESCRIPTION ""
 SYNTAX OCTET STRING (SIZE (0..255))
PhysAddress ::= TEXTUAL-CONVENTION DISPLAY-HINT "1x:" STATUS current DESCRIPTION ""
 SYNTAX OCTET STRING
TruthValue ::= TEXTUAL-CONVENTION STATUS current DESCRIPTION ""
 SYNTAX INTEGER { true(1), false(2) }
RowStatus ::= TEXTUAL-CONVENTION STATUS current DESCRIPTION ""
 SYNTAX INTEGER { active(1), notInService(2) }
EnabledStatus ::= TEXTUAL-CONVENTION STATUS current DESCRIPTION ""
 SYNTAX INTEGER { enabled(1), disabled(2) }
END
"""

Column = tuple[str, int, str]  # name, number, syntax


def _module(name: str, tables: list[tuple[str, str, int, str, list[Column]]], more: str) -> str:
    """A module with some tables: (name, its parent, its number, its index, its columns)."""
    out = [f"{name} DEFINITIONS ::= BEGIN", "IMPORTS"]
    out += [" mib-2, OBJECT-TYPE, Integer32, Gauge32, IpAddress FROM SNMPv2-SMI"]
    kinds = "DisplayString, SnmpAdminString, PhysAddress, TruthValue, RowStatus, EnabledStatus"
    out += [f" {kinds}", "  FROM SNMPv2-TC;", more]
    for table, parent, number, index, columns in tables:
        entry = f"{table.removesuffix('Table')}Entry"
        of = entry[0].upper() + entry[1:]
        sequence = ", ".join(f"{column} {syntax.split('{')[0]}" for column, _, syntax in columns)
        out += [
            f"{table} OBJECT-TYPE SYNTAX SEQUENCE OF {of} MAX-ACCESS not-accessible",
            f' STATUS current DESCRIPTION "" ::= {{ {parent} {number} }}',
            f"{entry} OBJECT-TYPE SYNTAX {of} MAX-ACCESS not-accessible STATUS current",
            f' DESCRIPTION "" INDEX {{ {index} }} ::= {{ {table} 1 }}',
            f"{of} ::= SEQUENCE {{ {sequence} }}",
        ]
        out += [
            f"{column} OBJECT-TYPE SYNTAX {syntax} MAX-ACCESS read-only STATUS current"
            f' DESCRIPTION "" ::= {{ {entry} {place} }}'
            for column, place, syntax in columns
        ]
    return "\n".join([*out, "END", ""])


def _scalar(name: str, parent: str, number: int, syntax: str) -> str:
    return (
        f"{name} OBJECT-TYPE SYNTAX {syntax} MAX-ACCESS read-only STATUS current"
        f' DESCRIPTION "" ::= {{ {parent} {number} }}'
    )


MODULES = {
    "SNMPv2-SMI": _SMI,
    "SNMPv2-TC": _TC,
    "SNMPv2-MIB": _module(
        "SNMPv2-MIB",
        [],
        "\n".join(
            [
                "system OBJECT IDENTIFIER ::= { mib-2 1 }",
                _scalar("sysDescr", "system", 1, "DisplayString"),
                _scalar("sysObjectID", "system", 2, "OBJECT IDENTIFIER"),
                _scalar("sysContact", "system", 4, "DisplayString"),
                _scalar("sysName", "system", 5, "DisplayString"),
                _scalar("sysLocation", "system", 6, "DisplayString"),
            ]
        ),
    ),
    "IF-MIB": _module(
        "IF-MIB",
        [
            (
                "ifTable",
                "interfaces",
                2,
                "ifIndex",
                [
                    ("ifIndex", 1, "Integer32"),
                    ("ifDescr", 2, "DisplayString"),
                    ("ifType", 3, "INTEGER { ethernetCsmacd(6), l3ipvlan(136) }"),
                    ("ifPhysAddress", 6, "PhysAddress"),
                    ("ifAdminStatus", 7, "INTEGER { up(1), down(2), testing(3) }"),
                ],
            ),
            (
                "ifXTable",
                "ifMIBObjects",
                1,
                "ifIndex",
                [
                    ("ifName", 1, "DisplayString"),
                    ("ifAlias", 18, "DisplayString"),
                    ("ifCounterDiscontinuityTime", 19, "Gauge32"),
                ],
            ),
        ],
        "interfaces OBJECT IDENTIFIER ::= { mib-2 2 }\n"
        "ifMIB OBJECT IDENTIFIER ::= { mib-2 31 }\n"
        "ifMIBObjects OBJECT IDENTIFIER ::= { ifMIB 1 }\n",
    ),
    "BRIDGE-MIB": _module(
        "BRIDGE-MIB",
        [
            (
                "dot1dBasePortTable",
                "dot1dBase",
                4,
                "dot1dBasePort",
                [
                    ("dot1dBasePort", 1, "Integer32"),
                    ("dot1dBasePortIfIndex", 2, "Integer32"),
                ],
            )
        ],
        "dot1dBridge OBJECT IDENTIFIER ::= { mib-2 17 }\n"
        "dot1dBase OBJECT IDENTIFIER ::= { dot1dBridge 1 }\n",
    ),
    "Q-BRIDGE-MIB": _module(
        "Q-BRIDGE-MIB",
        [
            (
                "dot1qVlanStaticTable",
                "dot1qVlan",
                3,
                "dot1qVlanIndex",
                [
                    ("dot1qVlanStaticName", 1, "SnmpAdminString"),
                    ("dot1qVlanStaticEgressPorts", 2, "OCTET STRING"),
                    ("dot1qVlanForbiddenEgressPorts", 3, "OCTET STRING"),
                    ("dot1qVlanStaticUntaggedPorts", 4, "OCTET STRING"),
                    ("dot1qVlanStaticRowStatus", 5, "RowStatus"),
                ],
            ),
            (
                "dot1qPortVlanTable",
                "dot1qVlan",
                5,
                "dot1dBasePort",
                [
                    ("dot1qPvid", 1, "Gauge32"),
                    (
                        "dot1qPortAcceptableFrameTypes",
                        2,
                        "INTEGER { admitAll(1), admitOnlyVlanTagged(2) }",
                    ),
                    ("dot1qPortIngressFiltering", 3, "TruthValue"),
                    ("dot1qPortGvrpStatus", 4, "EnabledStatus"),
                ],
            ),
        ],
        "dot1dBridge OBJECT IDENTIFIER ::= { mib-2 17 }\n"
        "qBridgeMIB OBJECT IDENTIFIER ::= { dot1dBridge 7 }\n"
        "qBridgeMIBObjects OBJECT IDENTIFIER ::= { qBridgeMIB 1 }\n"
        "dot1qVlan OBJECT IDENTIFIER ::= { qBridgeMIBObjects 4 }\n",
    ),
    "LLDP-MIB": _module(
        "LLDP-MIB",
        [
            (
                "lldpLocPortTable",
                "lldpLocalSystemData",
                7,
                "lldpLocPortNum",
                [
                    ("lldpLocPortNum", 1, "Integer32"),
                    ("lldpLocPortIdSubtype", 2, "Integer32"),
                    ("lldpLocPortId", 3, "OCTET STRING"),
                    ("lldpLocPortDesc", 4, "SnmpAdminString"),
                ],
            ),
            (
                "lldpRemTable",
                "lldpRemoteSystemsData",
                1,
                "lldpRemTimeMark, lldpRemLocalPortNum, lldpRemIndex",
                [
                    ("lldpRemTimeMark", 1, "Integer32"),
                    ("lldpRemLocalPortNum", 2, "Integer32"),
                    ("lldpRemIndex", 3, "Integer32"),
                    ("lldpRemChassisIdSubtype", 4, "Integer32"),
                    ("lldpRemChassisId", 5, "OCTET STRING"),
                    ("lldpRemPortIdSubtype", 6, "Integer32"),
                    ("lldpRemPortId", 7, "OCTET STRING"),
                    ("lldpRemPortDesc", 8, "SnmpAdminString"),
                    ("lldpRemSysName", 9, "SnmpAdminString"),
                    ("lldpRemSysDesc", 10, "SnmpAdminString"),
                    ("lldpRemSysCapSupported", 11, "BITS { other(0), bridge(2) }"),
                    ("lldpRemSysCapEnabled", 12, "BITS { other(0), bridge(2) }"),
                ],
            ),
        ],
        "std OBJECT IDENTIFIER ::= { iso 0 }\n"
        "iso8802 OBJECT IDENTIFIER ::= { std 8802 }\n"
        "ieee802dot1 OBJECT IDENTIFIER ::= { iso8802 1 }\n"
        "ieee802dot1mibs OBJECT IDENTIFIER ::= { ieee802dot1 1 }\n"
        "lldpMIB OBJECT IDENTIFIER ::= { ieee802dot1mibs 2 }\n"
        "lldpObjects OBJECT IDENTIFIER ::= { lldpMIB 1 }\n"
        "lldpLocalSystemData OBJECT IDENTIFIER ::= { lldpObjects 3 }\n"
        "lldpRemoteSystemsData OBJECT IDENTIFIER ::= { lldpObjects 4 }\n",
    ),
}
"""Module -> its text."""


def write_modules(folder: Path, names: list[str]) -> Path:
    """Write some of the modules, for `-M FOLDER -m ALL`."""
    folder.mkdir(parents=True, exist_ok=True)
    for name in names:
        (folder / f"{name}.txt").write_text(MODULES[name])
    return folder
