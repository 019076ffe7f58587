"""Databases that SQLAlchemy can reach, described by a pack: a YAML file of queries whose columns are the protocol's."""
