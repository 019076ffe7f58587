"""Scenario files: hosts, clusters, tables, statements, rhythms and troubles, checked on reading."""
