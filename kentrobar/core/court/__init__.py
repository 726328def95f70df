"""Finding a player’s set-up on court: what can be tried (``space``), what answers about pairs say
of what is liked (``preference``), and which pair to try next, or that more trying is not worth it
(``search``). NumPy and SciPy are imported only where they are used.
"""
