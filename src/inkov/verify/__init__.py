"""The independent verifier: is a certificate true of these configurations?

It shares nothing with the engine but the campus model, the plan and VID sets. `frames` writes out
again what switches do, `packets` what routers do, `wires` which port is cabled to which;
`certificates` checks a certificate against them.
"""

from inkov.verify.certificates import Checked, check_certificate, check_ports
from inkov.verify.closures import Refused
from inkov.verify.packets import PacketModel
from inkov.verify.wires import Wires, wires_of

__all__ = [
    "Checked",
    "PacketModel",
    "Refused",
    "Wires",
    "check_certificate",
    "check_ports",
    "wires_of",
]
