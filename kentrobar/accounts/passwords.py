"""How passwords are kept: Argon2, which is slow for whoever guesses by the million, and quick for
whoever signs in.

What it costs: 19 MiB of memory gone through twice (the least that OWASP's Password Storage Cheat
Sheet, 2024, wants of Argon2id). A guess cannot do with less memory, which is what many guesses at
once run out of; Django's own first choice takes longer of a bench's machine than most of its pages.
"""

from django.contrib.auth import hashers


class Argon2(hashers.Argon2PasswordHasher):
    """Whatever was kept otherwise is kept so when its owner next signs in."""

    time_cost = 2
    memory_cost = 19 * 1024
    parallelism = 1
