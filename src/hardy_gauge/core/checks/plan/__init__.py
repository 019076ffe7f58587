"""Checks of plans, a family a file."""
