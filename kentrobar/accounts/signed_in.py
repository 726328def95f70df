"""Who is signed in."""

from django.contrib.auth import get_user_model
from django.contrib.auth.backends import ModelBackend
from django.contrib.auth.models import User


class WithRole(ModelBackend):
    """Whoever is signed in comes with their role and with what they like to read: one query for
    all on every request."""

    def get_user(self, user_id: int) -> User | None:
        users = get_user_model()._default_manager.select_related("preferences", "member")
        user = users.filter(pk=user_id).first()
        return user if user is not None and self.user_can_authenticate(user) else None
