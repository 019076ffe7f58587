"""Databases with made data: the objects of a watched one, filled with rows that are drawn from its statistics."""
