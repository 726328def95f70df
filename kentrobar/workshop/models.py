"""People and their jobs, step by step; the work on a plan: its bench sheet, its trials; what is
handed over."""

from __future__ import annotations

from typing import Any, ClassVar, Self

from django.conf import settings
from django.db import models
from django.urls import reverse
from django.utils import timezone

from kentrobar.core.court.preference import Answer
from kentrobar.core.io.plans import parse_piece
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.reader import length_text
from kentrobar.core.recipes.player_words import WISHES
from kentrobar.core.words.amounts import told
from kentrobar.frames.models import Frame, Person
from kentrobar.plans.models import Plan
from kentrobar.ui.models import Work
from kentrobar.ui.undo import Present, Removable


def _by() -> Any:
    return models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL, related_name="+"
    )


class Sheet(models.Model):
    """The bench sheet of a plan: the pieces it was drawn up for, what is ticked off, when it was
    signed off.

    Signed off, its pieces are on the frame, until they are taken off again.
    """

    plan = models.OneToOneField(Plan, on_delete=models.CASCADE, related_name="sheet")
    pieces = models.JSONField(default=list)
    ticks = models.JSONField(default=dict, blank=True, help_text="key of a step: when it was done")
    made_at = models.DateTimeField(default=timezone.now)
    waits_until = models.DateTimeField(null=True, blank=True)
    signed_off_at = models.DateTimeField(null=True, blank=True)
    signed_off_by = _by()
    taken_off_at = models.DateTimeField(null=True, blank=True)
    counted_with = models.ForeignKey(
        "self", null=True, blank=True, on_delete=models.SET_NULL, related_name="counts",
        help_text="the sheet made on top of this one, which its pieces are counted with",
    )  # fmt: skip

    def __str__(self) -> str:
        return f"sheet of {self.plan}"

    def get_absolute_url(self) -> str:
        return reverse("sheet", args=[self.plan_id])

    @property
    def is_on(self) -> bool:
        return self.signed_off_at is not None and self.taken_off_at is None

    def core_pieces(self) -> tuple[Piece, ...]:
        return tuple(parse_piece(piece) for piece in self.pieces)


class Trial(models.Model):
    """A loose fitting of a plan: what was really put on, and what was read then.

    ``put_on`` are pieces as weighed, with their backing and holding tape; ``read`` are figures in
    the core's units, each [value, one standard uncertainty or null].
    """

    plan = models.ForeignKey(Plan, on_delete=models.CASCADE, related_name="trials")
    put_on = models.JSONField(help_text="[{piece, u_g, backing, holding_g}]")
    read = models.JSONField(default=dict)
    axis_mm = models.FloatField()
    note = models.CharField(max_length=200, blank=True)
    made_at = models.DateTimeField(default=timezone.now)
    made_by = _by()
    accepted_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-made_at", "-pk"]

    def __str__(self) -> str:
        return f"trial of {self.plan}, {timezone.localtime(self.made_at):%-d %b %H:%M}"


class Stage(Removable):
    """One stage of fitting a plan bit by bit: what went on, as weighed, and what was read then,
    each figure [value, one standard uncertainty] in the core's units."""

    removed_word = "Took back"
    plan = models.ForeignKey(Plan, on_delete=models.CASCADE, related_name="stages")
    put_on = models.JSONField(default=list, blank=True)
    read = models.JSONField(default=dict, blank=True)
    axis_mm = models.FloatField()
    made_at = models.DateTimeField(default=timezone.now)
    made_by = _by()

    objects = models.Manager()
    live = Present()

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"stage of {self.plan}, {timezone.localtime(self.made_at):%-d %b %H:%M}"

    def get_absolute_url(self) -> str:
        return reverse("stages", args=[self.plan_id])


class RestSearch(Work):
    """The search for what is left after a trial (``rests.py``)."""

    trial = models.OneToOneField(Trial, on_delete=models.CASCADE, related_name="rest_search")

    class Meta:
        verbose_name_plural = "searches for the rest"

    def __str__(self) -> str:
        return f"rest of the {self.trial}"


class Learned(Work):
    """What all fittings that were read again say of rolls and instruments (``own_figures.py``): one
    row."""

    is_beside = True

    def __str__(self) -> str:
        return "what the shop learned of itself"


class Job(Removable):
    """What somebody asked for, and the frames taken in for it."""

    person = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="jobs")
    words = models.JSONField(
        default=list, blank=True, help_text="keys of the player’s words that were ticked"
    )
    said = models.CharField("asked, in their words", max_length=300, blank=True)
    due = models.DateField("promised for")
    deposit = models.CharField("deposit", max_length=120, blank=True)
    price = models.DecimalField(
        "price agreed", max_digits=9, decimal_places=2, null=True, blank=True
    )
    verdict = models.CharField("the player’s verdict", max_length=300, blank=True)
    ask_on = models.DateField("ask how it plays", null=True, blank=True)
    taken_in_at = models.DateTimeField(default=timezone.now)
    taken_in_by = _by()
    closed_at = models.DateTimeField(null=True, blank=True, db_index=True)

    objects = models.Manager()
    live = Present()

    class Meta:
        ordering = ["due", "pk"]

    def __str__(self) -> str:
        return f"{self.person}: {self.asked}"

    def get_absolute_url(self) -> str:
        return reverse("job", args=[self.pk])

    @property
    def asked(self) -> str:
        """Everything the player said: as written down, then the words that were ticked."""
        ticked = (WISHES[key].says for key in self.words if key in WISHES)
        said = self.said.lower()
        return "; ".join(
            filter(None, (self.said, *(one for one in ticked if one.lower() not in said)))
        )


class TakenIn(models.Model):
    """A frame of a job, and how it arrived. One that must not be customized is refused, with the
    reason."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="taken_in")
    frame = models.ForeignKey(Frame, on_delete=models.CASCADE, related_name="jobs")
    arrived = models.CharField("condition on arrival", max_length=200, blank=True)
    refused = models.CharField("refused, because", max_length=200, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["job", "frame"], name="a_frame_once_a_job")]

    def __str__(self) -> str:
        return f"{self.frame} for {self.job.person}"


class Photo(models.Model):
    """How a frame looked when it came in: small, and stripped of where and when it was taken.

    It lies in the database, so that whatever saves the workshop saves it too. Until its job is
    checked in it belongs to nobody.
    """

    taken_in = models.ForeignKey(
        TakenIn, null=True, blank=True, on_delete=models.CASCADE, related_name="photos"
    )
    jpeg = models.BinaryField()
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    kept_at = models.DateTimeField(default=timezone.now)
    kept_by = _by()

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"photo of {self.taken_in or 'a frame not checked in yet'}"

    def get_absolute_url(self) -> str:
        return reverse("photo", args=[self.pk])


class JobStep(models.Model):
    """One step of a job. Done, or skipped with a reason; done again, it is open once more."""

    class Kind(models.TextChoices):
        TAKE_IN = "take-in", "check in"
        BEFORE = "before", "measure before"
        TARGET = "target", "target"
        PLAN = "plan", "plan"
        TRIAL = "trial", "trial fit"
        PERMANENT = "permanent", "final fit"
        AFTER = "after", "measure after"
        HAND_OVER = "hand-over", "hand over"

    class Status(models.TextChoices):
        OPEN = "open", "open"
        DONE = "done", "done"
        SKIPPED = "skipped", "skipped"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="steps")
    kind = models.CharField(max_length=9, choices=Kind)
    status = models.CharField(max_length=7, choices=Status, default=Status.OPEN)
    reason = models.CharField(max_length=200, blank=True)
    minutes = models.FloatField("minutes spent", null=True, blank=True)
    begun_at = models.DateTimeField(null=True, blank=True)
    is_by_hand = models.BooleanField(
        default=False, help_text="opened again: it is done when somebody says so"
    )
    done_at = models.DateTimeField(null=True, blank=True)
    done_by = _by()
    waits_for = models.CharField(max_length=120, blank=True)
    waits_until = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["job", "kind"], name="a_step_once_a_job")]
        indexes = [models.Index(fields=["-done_at"], name="steps_newest_first")]

    def __str__(self) -> str:
        return f"{self.job}: {self.get_kind_display()}"


class PlayersLink(models.Model):
    """What a player sees by a link, without an account. The link cannot be guessed, shows this
    alone, and ends with its frame, on its day, or when somebody ends it."""

    token = models.CharField(max_length=43, unique=True)
    made_at = models.DateTimeField(default=timezone.now)
    made_by = _by()
    revoked_at = models.DateTimeField(null=True, blank=True)
    ends_at = models.DateTimeField(null=True, blank=True)

    its_frame: ClassVar[tuple[str, ...]] = ()
    """Of what it hangs on: all must be there still."""

    class Meta:
        abstract = True
        ordering = ["-made_at", "-pk"]

    def __str__(self) -> str:
        return f"link of {timezone.localtime(self.made_at):%-d %b %Y}"

    @property
    def is_open(self) -> bool:
        return self.revoked_at is None and (self.ends_at is None or timezone.now() < self.ends_at)

    @classmethod
    def shown_by(cls, token: str) -> Self | None:
        """What an open link shows; None for one that has ended, or is none."""
        if not token.isascii() or not token.isprintable():  # no database is asked with a NUL
            return None
        there = {f"{path}removed_at": None for path in cls.its_frame}
        found = cls._default_manager.filter(token=token, **there).first()
        return found if found is not None and found.is_open else None


class Card(PlayersLink):
    """What the player is given: before, after, what is fitted where. ``content`` is how
    things stood when it was made."""

    plan = models.ForeignKey(Plan, on_delete=models.CASCADE, related_name="cards")
    content = models.JSONField()

    its_frame = ("plan__", "plan__frame__")

    def __str__(self) -> str:
        return f"card of {self.plan.frame}, {timezone.localtime(self.made_at):%-d %b %Y}"


class BlindTrial(PlayersLink):
    """Two set-ups under coded covers, handed over in a drawn order; answers are taken on court."""

    class Asks(models.TextChoices):
        TELL = "tell", "which one is it?"
        PREFER = "prefer", "which of the two is better?"

    frame = models.ForeignKey(Frame, on_delete=models.CASCADE, related_name="blind_trials")
    first = models.CharField("set-up A", max_length=80)
    second = models.CharField("set-up B", max_length=80)
    asks = models.CharField("asked each round", max_length=6, choices=Asks, default=Asks.TELL)
    order = models.CharField(max_length=40)
    codes = models.JSONField(help_text="cover of A, cover of B")
    answers = models.CharField(max_length=40, blank=True)

    its_frame = ("frame__",)

    def __str__(self) -> str:
        return f"{self.first} or {self.second}, {self.frame}"

    @property
    def is_done(self) -> bool:
        return len(self.answers) >= len(self.order)


class SetupSearch(PlayersLink):
    """A player's search for their set-up on one frame: what can be tried, which pairs were drawn,
    session by session, and what was said of them. ``content`` holds the set-ups; a pair is two of
    their numbers, the one played first before the other."""

    frame = models.ForeignKey(Frame, on_delete=models.CASCADE, related_name="setup_searches")
    content = models.JSONField()
    sessions = models.JSONField(default=list)
    answers = models.JSONField(default=list)

    its_frame = ("frame__",)

    def __str__(self) -> str:
        return f"set-up of {self.frame}, {timezone.localtime(self.made_at):%-d %b %Y}"

    def places(self) -> Any:
        """Set-ups × figures, in noticed steps."""
        import numpy as np

        return np.array([one["place"] for one in self.content["setups"]])

    def told(self) -> list[Answer]:
        """The answers as the core takes them."""
        found = []
        for one in self.answers:
            first, second = self.sessions[one["session"]][one["pair"]]
            found.append(Answer(first, second, one["said"]))
        return found

    @property
    def is_answered(self) -> bool:
        """Whether every pair that was drawn is answered: a new session, or the end."""
        return len(self.answers) >= sum(map(len, self.sessions))

    @property
    def is_fitted(self) -> bool:
        """Whether the bench has fitted the session at hand; of searches from before it said so."""
        return int(self.content.get("fitted", len(self.sessions))) >= len(self.sessions)

    def cost(self, fitted: int, wanted: int) -> float:
        """Sites at which tape is moved."""
        then, now = (self.content["setups"][one]["grams"] for one in (fitted, wanted))
        keys = then.keys() | now.keys()
        return sum(abs(then.get(key, 0.0) - now.get(key, 0.0)) > 1e-6 for key in keys)

    def fitted_before(self) -> int:
        """What was on the frame before the session at hand."""
        earlier = self.sessions[:-1]
        return int(earlier[-1][-1][1]) if earlier else 0

    def cover(self, number: int) -> str:
        """What a set-up goes by on court: as drawn, or by what it is where nothing is covered."""
        covers = self.content["covers"]
        order = list(
            dict.fromkeys(one for drawn in self.sessions for pair in drawn for one in pair)
        )
        at = order.index(number) if number in order else len(order)
        # Beyond the names there are, two of them: no name is another with a number.
        far = [covers[at % len(covers)], covers[(at // len(covers) - 1) % len(covers)]]
        return str(far[0]) if at < len(covers) else "-".join(map(str, far))

    def pieces(self, number: int) -> tuple[Piece, ...]:
        return tuple(parse_piece(one) for one in self.content["setups"][number]["pieces"])

    def at_site(self, number: int, site: str) -> str:
        """What goes to one site, in words: `4 × 95.3 mm, both sides, both faces: 4.8 g`."""
        own = [piece for piece in self.pieces(number) if piece.site == site]
        cuts = []
        for piece in own:
            length, count = piece.strips()
            if count:
                many = f"{count} × " if count > 1 else ""
                cuts.append(f"{many}{length_text(length)}, {piece.spread()}")
            else:
                cuts.append(piece.where())
        grams = told("mass_g", sum(piece.mass_g for piece in own), 1)
        return ": ".join(["; ".join(cuts), grams])

    def named(self, number: int) -> str:
        """What a set-up is, in words."""
        grams = self.content["setups"][number]["grams"]
        said = [
            f"{name} {told('mass_g', grams[key], 1)}"
            for key, name in self.content["names"].items() if grams.get(key)
        ]  # fmt: skip
        return ", ".join(said) or "as it came"


class Paper(Work):
    """A page as PDF, made beside it and kept for a day: asked for twice, it is made once."""

    is_beside = True

    digest = models.CharField(max_length=64, unique=True, help_text="of the page it is made of")
    pdf = models.BinaryField(default=b"")

    class Meta:
        verbose_name_plural = "paper"

    def __str__(self) -> str:
        return f"paper {self.digest[:8]}"


class Restore(Work):
    """A workshop's file that an owner brings back, and how far that is."""

    is_beside = True

    user = models.OneToOneField(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="restore"
    )

    def __str__(self) -> str:
        return f"restore by {self.user}"


class Import(Work):
    """The table one person brings in: its text, how far it is looked through, what becomes of each
    row."""

    is_beside = True

    user = models.OneToOneField(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="table"
    )

    def __str__(self) -> str:
        return f"table of {self.user}"
