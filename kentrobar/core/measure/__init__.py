"""Judging and, method by method, reducing what was read."""
