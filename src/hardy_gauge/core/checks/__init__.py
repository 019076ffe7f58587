"""Checks of statements: what is wrong with a text, whatever server it runs on."""
