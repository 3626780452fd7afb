"""What a platform does where its configuration is silent.

IEEE Std 802.1Q gives the ground: every port has a PVID, 1 unless set (Table 9-2, "default PVID"),
and is then an untagged member of that VLAN; ingress filtering is off unless set (12.10.1.3); there
is no negotiation of trunks.
"""

from __future__ import annotations

from typing import Any

from inkov.campus.model import Accept, Fact, Mode, Negotiation, Platform
from inkov.campus.origin import Basis, Origin
from inkov.vlanset import VlanSet


def _platform(name: str, **values: tuple[Any, str]) -> Platform:
    return Platform(
        name,
        {
            attribute: Fact(value, Origin(basis=Basis.DEFAULT, says=f"{name}: {says}"))
            for attribute, (value, says) in values.items()
        },
    )


_SHARED: dict[str, tuple[Any, str]] = {
    "enabled": (True, "a port is on unless it is shut"),
    "mode": (Mode.ACCESS, "a port with no VLAN setting is an untagged member of one VLAN"),
    "negotiation": (Negotiation.SILENT, "the standard has no negotiation of trunks"),
    "access_vlan": (1, "the default PVID is 1"),
    "voice_vlan": (None, "no voice VLAN unless set"),
    "native_tagged": (False, "the native VLAN leaves untagged unless set"),
    "withheld": (VlanSet(), "nothing is pruned unless set"),
    "pvid": (1, "the default PVID is 1"),
    "accept": (Accept.ALL, "IEEE 802.1Q admits all frames unless set"),
    "ingress_filtering": (False, "IEEE 802.1Q: ingress filtering is off unless set"),
    "tagged": (VlanSet(), "no tagged VLANs unless set"),
    "untagged": (None, "the PVID leaves untagged unless set"),
    "secondaries": (VlanSet(), "no secondary VLANs mapped unless set"),
    "protected": (False, "a port is not protected unless set"),
    "registration": (False, "no dynamic VLAN registration unless set"),
}

STANDARD = _platform(
    "IEEE 802.1Q",
    **_SHARED
    | {
        "accept": (Accept.ALL, "a port admits all frames unless set"),
        "ingress_filtering": (False, "ingress filtering is off unless set"),
    },
    native_vlan=(1, "the default PVID is 1"),
    allowed=(VlanSet.all(), "a trunk without a list carries all VLANs"),
)
"""What the standard itself says: the ground for switch sheets."""

WALK = _platform(
    "Q-BRIDGE-MIB",
    **_SHARED,
    native_vlan=(1, "the default PVID is 1"),
    allowed=(VlanSet.all(), "a trunk without a list carries all VLANs"),
)
"""What RFC 4363 says of objects that a walk does not hold: the defaults of IEEE 802.1Q."""

OPENCONFIG = _platform(
    "OpenConfig",
    **_SHARED,
    native_vlan=(None, "a trunk without native-vlan has none"),
    allowed=(VlanSet.all(), "a trunk without trunk-vlans carries all VLANs"),
)
"""What the descriptions in openconfig-vlan.yang say, and IEEE 802.1Q where they are silent."""
