"""Finding a player’s set-up on court: what can be tried (``space``), what answers about pairs say
of what is liked (``preference``), and which pair to try next, or that more trying is not worth it
(``search``). NumPy is imported only where it is used.
"""
