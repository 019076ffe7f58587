"""Scenarios drawn from a seed: worlds of different shapes with one cause, or two, or none."""
