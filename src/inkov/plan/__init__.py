"""What is intended, as far as the user cares to say. So far: hosts, and where VLANs are needed."""

from inkov.plan.loader import Plan, read_plan

__all__ = ["Plan", "read_plan"]
