"""``manage.py has_accounts``: whether anybody has an account here yet; exits with 1 where nobody
has."""

import sys
from typing import Any

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand


class Command(BaseCommand):
    help = "Exit with 0 where somebody has an account, with 1 where nobody has."

    def handle(self, *args: Any, **options: Any) -> None:
        sys.exit(0 if get_user_model().objects.exists() else 1)
