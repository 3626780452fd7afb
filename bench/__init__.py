"""Measurements: how much Inkov costs beyond merely decoding the same files. Ratios, taken in one
run.
"""
