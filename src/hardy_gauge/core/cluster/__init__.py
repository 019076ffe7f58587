"""Servers that serve the same data, as one."""
