"""Inkov audits the switch configurations of a campus, and proves that its segments stay apart."""

__version__ = "0.1.0"
