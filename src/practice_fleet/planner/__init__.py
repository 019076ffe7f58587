"""Choosing a plan by cost, from statistics gathered at some time, and what the plan will ask of the host."""
