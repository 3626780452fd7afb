"""Inkov audits the switch configurations of a campus and proves that its VLAN segments stay apart."""

__version__ = "0.1.0"
