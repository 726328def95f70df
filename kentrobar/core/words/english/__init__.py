"""What every code of the core's answers says in English.

A sentence is a format of the figures its message carries, or a function of them where a word hangs
on a figure. Figures come as numbers in the units of ``quantities.FIGURES`` and are told in the
reader's (``amounts``); a name ``figure`` is a key of that table.
"""

from .advice import ADVICE
from .frames import DOUBTS, NOTICES, SLIPS, STANDINGS
from .names import Sentence
from .readings import READINGS
from .recipes import PROGRESS, RECIPES
from .trials import SUSPICIONS

SENTENCES: dict[str, Sentence] = {
    **DOUBTS,
    **SLIPS,
    **NOTICES,
    **STANDINGS,
    **SUSPICIONS,
    **RECIPES,
    **PROGRESS,
    **ADVICE,
    **READINGS,
}
