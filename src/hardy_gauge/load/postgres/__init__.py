"""Trials on PostgreSQL: on one that is made for them, and on a lab server of the fleet."""
