"""``manage.py let_in NAME``: a link for a new colleague, or for one who forgot their password. For
whoever is at the machine itself."""

from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand

from kentrobar.accounts import doors
from kentrobar.accounts.models import Invitation, Role


class Command(BaseCommand):
    help = "Print a link that makes an account, or sets a new password where the name is known."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("name")
        parser.add_argument("--role", choices=Role.values, default=Role.BENCH)

    def handle(self, *args: Any, **options: Any) -> None:
        user = get_user_model().objects.filter(username__iexact=options["name"]).first()
        made = Invitation.objects.create(user=user, role=options["role"], note=options["name"])
        door = doors.address(settings.LOCAL) or doors.address(settings.LOCAL, doors.HERE)
        what = "sets a new password" if user else f"makes an account ({made.role})"
        where = f"{door}join/{made.token}/" if door else f"/join/{made.token}/ at your Kentrobar"
        self.stdout.write(f"{where} {what}, once, until {made.ends_at:%d %b}.")
