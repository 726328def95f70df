"""A period from a film of a swing: no aiming, no marks, no app.

``decode`` shrinks a film to small grey pictures with their time stamps, ``sight`` finds what
oscillates in them and how wide, ``reading`` makes a motion of it, as a recording's is made.
NumPy and PyAV are imported only where they are used.
"""
