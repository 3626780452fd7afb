"""What the switches do with frames: the stages from configuration to forwarding, and what is
computed from them.

The rules are numbered in `docs/forwarding-model.md`; code cites them as FM 3.5. Every later room
reads the `Fabric` that `resolve` builds and derives nothing of this again.
"""

from inkov.forwarding.fabric import BridgePort, Fabric, Resolved
from inkov.forwarding.resolve import resolve
from inkov.forwarding.view import Form, PortView

__all__ = ["BridgePort", "Fabric", "Form", "PortView", "Resolved", "resolve"]
