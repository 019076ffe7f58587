"""Checks of a statement's text, one family a file."""
