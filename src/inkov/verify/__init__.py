"""The independent verifier: is a certificate true of these configurations?

It shares nothing with the engine but the campus model, the plan and VID sets. `frames` writes out
again what switches do, `packets` what routers do; `certificates` checks a certificate against
them.
"""

from inkov.verify.certificates import Checked, check_certificate, check_ports
from inkov.verify.closures import Refused
from inkov.verify.packets import PacketModel

__all__ = ["Checked", "PacketModel", "Refused", "check_certificate", "check_ports"]
