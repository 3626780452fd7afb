"""What holds where nothing is stated, and addresses as people write them."""

from __future__ import annotations

import pytest

from inkov.campus import Accept, Mode, Negotiation
from inkov.campus.addresses import address_text
from inkov.campus.platform import STANDARD
from inkov.vlanset import VlanSet


def test_what_the_standard_says_of_a_port_of_which_nothing_is_stated() -> None:
    """IEEE 802.1Q: on, an untagged member of VLAN 1, which takes all frames and filters none; it
    asks nobody, registers nothing, and is not kept from others.
    """
    values = {name: fact.value for name, fact in STANDARD.unstated.items()}
    assert values.pop("allowed") == VlanSet.from_vids(range(1, 4095))
    assert values == {
        "enabled": True,
        "mode": Mode.ACCESS,
        "negotiation": Negotiation.SILENT,
        "access_vlan": 1,
        "voice_vlan": None,
        "native_vlan": 1,
        "native_tagged": False,
        "withheld": VlanSet(),
        "pvid": 1,
        "accept": Accept.ALL,
        "ingress_filtering": False,
        "tagged": VlanSet(),
        "untagged": None,
        "secondaries": VlanSet(),
        "protected": False,
        "registration": False,
    }


@pytest.mark.parametrize(
    ("text", "address"),
    [
        ("02:00:00:00:00:01", "02:00:00:00:00:01"),
        (" 2-0-0-0-0-1 ", "02:00:00:00:00:01"),
        ("0200.0000.00AB", "02:00:00:00:00:ab"),
        ("200.0.1", "02:00:00:00:00:01"),
        ("0200000000ab", "02:00:00:00:00:ab"),
        ("200000000ab", None),  # without marks no zero may be missing
        ("02000000000ab", None),
        ("02:00:00:00:01", None),
        ("020:00:00:00:00:01", None),
        ("02000.0000.0001", None),
        ("02:00:00:00:00:0g", None),
        ("", None),
    ],
)
def test_an_address_as_people_write_it(text: str, address: str | None) -> None:
    if address is None:
        with pytest.raises(ValueError, match="no address of a bridge"):
            address_text(text)
    else:
        assert address_text(text) == address
