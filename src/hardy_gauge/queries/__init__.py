"""Reads the store into core's tables, once for each server and answer: the only room that knows both."""
