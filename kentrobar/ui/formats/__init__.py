"""Formats that differ from Django's: a bare number in a template is read by programs (a coordinate,
a step), with a point in every language. What people read goes through the ``number`` filter."""
