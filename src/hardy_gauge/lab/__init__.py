"""Instances of real engines that are made for a question or a trial, and taken away again."""
