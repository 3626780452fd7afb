"""What is intended, as far as the user cares to say: VLANs, segments, hosts, house rules, and what
is accepted.
"""

from inkov.plan.expected import missing_switches
from inkov.plan.loader import Plan, read_plan, vlan_names
from inkov.plan.placed import Placed, placed
from inkov.plan.schema import (
    Acceptance,
    Carried,
    Claim,
    PlanFile,
    PlannedUplink,
    PlannedVlan,
    Practice,
    SharedFate,
)

__all__ = [
    "Acceptance",
    "Carried",
    "Claim",
    "Placed",
    "Plan",
    "PlanFile",
    "PlannedUplink",
    "PlannedVlan",
    "Practice",
    "SharedFate",
    "missing_switches",
    "placed",
    "read_plan",
    "vlan_names",
]
