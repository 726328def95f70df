"""Forms of people: the first account, an invitation taken up, a password changed, a colleague
invited."""

from __future__ import annotations

from typing import Any

from django import forms
from django.conf import settings
from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError

from kentrobar.shop import places
from kentrobar.shop.models import USUAL_FIELDS, Settings
from kentrobar.stock.models import Material
from kentrobar.ui.forms import with_commas

from . import doors
from .models import Invitation, Role


class NewAccount(forms.Form):
    """A name to sign in with and a password."""

    first_name = forms.CharField(label="Your name", max_length=60)
    username = forms.RegexField(
        r"^[\w.@+-]+$", label="Sign-in name", max_length=60,
        error_messages={"invalid": "Letters, digits and . @ + - _ only, no blanks."},
    )  # fmt: skip
    password = forms.CharField(label="Password", widget=forms.PasswordInput(render_value=True))

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["first_name"].widget.attrs |= {"autocomplete": "name"}
        self.fields["username"].widget.attrs |= {
            "autocomplete": "username", "autocapitalize": "none", "spellcheck": "false",
        }  # fmt: skip
        self.fields["password"].widget.attrs |= {"autocomplete": "new-password"}
        self.fields["password"].help_text = "eight characters at least, not only digits"

    def clean_username(self) -> str:
        name: str = self.cleaned_data["username"]
        if User.objects.filter(username__iexact=name).exists():
            raise ValidationError(f"“{name}” is taken: choose another.")
        return name

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        _check_password(self, "password", User(username=cleaned.get("username", "")))
        return cleaned

    def make(self) -> User:
        """The account; the caller gives it a role."""
        return User.objects.create_user(
            self.cleaned_data["username"], password=self.cleaned_data["password"],
            first_name=self.cleaned_data["first_name"],
        )  # fmt: skip


class ShopForm(forms.ModelForm):
    """The shop: its name, its place, and what it usually reads with."""

    class Meta:
        model = Settings
        fields = (
            "shop_name", "contact", "time_zone", "latitude_deg", "height_m", "currency", "decimals",
            "paper",
            *USUAL_FIELDS.values(),
        )  # fmt: skip

    materials = forms.ModelMultipleChoiceField(
        Material.live.none(), label="On the shelf", required=False,
        widget=forms.CheckboxSelectMultiple,
    )  # fmt: skip
    phones = forms.BooleanField(
        label="Let phones and tablets of this network in, over HTTPS", required=False
    )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        zone = places.machine_zone()
        self.fields["time_zone"] = forms.ChoiceField(
            label="Time zone", choices=[(name, name.replace("_", " ")) for name in places.zones()],
            initial=zone, help_text="sets when your day starts",
        )  # fmt: skip
        # As the start command was told (--lan), or by whoever opened them before.
        self.fields["phones"].initial = doors.is_open(settings.LOCAL)
        shelf = self.fields["materials"]
        assert isinstance(shelf, forms.ModelMultipleChoiceField)
        shelf.queryset = Material.live.all()
        shelf.initial = list(shelf.queryset)
        with_commas(self)
        for name, (label, example) in EXAMPLES.items():
            self.fields[name].label, self.fields[name].help_text = label, example
        self.fields["latitude_deg"].initial = places.latitude_of(zone)

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if cleaned.get("latitude_deg") is None and "latitude_deg" not in self.errors:
            # Of the zone's town: nearer than no latitude, which stands for 45°.
            cleaned["latitude_deg"] = places.latitude_of(cleaned.get("time_zone", ""))
        return cleaned


EXAMPLES = {
    "shop_name": ("Name of the shop", "on cards, sheets and tickets"),
    "contact": ("Contact", "street, phone or mail, as players should see it"),
    "latitude_deg": ("Latitude, °", "of the town, for the g of timed swings; −33.9 in the south"),
    "height_m": ("Height above the sea, m", "650 in the hills"),
    "currency": ("Currency", "EUR, kr, £"),
    "decimals": ("Decimals are written with", "boxes read both"),
    "paper": ("Printed on", ""),
    "usual_mass": ("Static weight", ""),
    "usual_balance": ("Balance", ""),
    "usual_swing": ("Swing weight", ""),
    "usual_twist": ("Twist weight", ""),
}


class InviteForm(forms.ModelForm):
    class Meta:
        model = Invitation
        fields = ("note", "role")


class OwnForm(forms.ModelForm):
    """What one changes of one's own account."""

    class Meta:
        model = User
        fields = ("first_name", "email")
        labels = {"first_name": "Your name", "email": "Mail"}


class PasswordForm(forms.Form):
    """A new password; the present one guards it, where ``user`` is signed in."""

    present = forms.CharField(label="Present password", widget=forms.PasswordInput)
    password = forms.CharField(label="New password", widget=forms.PasswordInput)

    def __init__(self, user: User, *args: Any, is_reset: bool = False, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.user = user
        self.fields["present"].widget.attrs["autocomplete"] = "current-password"
        self.fields["password"].widget.attrs["autocomplete"] = "new-password"
        self.fields["password"].help_text = "eight characters at least, not only digits"
        if is_reset:
            del self.fields["present"]

    def clean_present(self) -> str:
        present: str = self.cleaned_data["present"]
        if not self.user.check_password(present):
            raise ValidationError("This is not your present password.")
        return present

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        _check_password(self, "password", self.user)
        return cleaned

    def save(self) -> None:
        self.user.set_password(self.cleaned_data["password"])
        self.user.save(update_fields=["password"])


class RoleForm(forms.Form):
    role = forms.ChoiceField(choices=Role.choices)


def _check_password(form: forms.Form, name: str, user: User) -> None:
    """Say beside the box why a password is too easy."""
    password = form.cleaned_data.get(name)
    if not password:
        return
    try:
        validate_password(password, user)
    except ValidationError as error:
        form.add_error(name, error)
