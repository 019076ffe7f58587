"""Figures of any objects over time, as bands under each other."""
