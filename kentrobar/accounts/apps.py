from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "kentrobar.accounts"
    label = "accounts"

    def ready(self) -> None:
        from kentrobar.ui.slots import fill
        from kentrobar.workshop import whole

        from . import phones, roles, sessions

        sessions.follow()
        whole.roles_by(roles.of, roles.give)
        fill("phone-code", "accounts/_phone_code.html", phones.code_of)
        fill("settings-actions", "accounts/_settings_action.html", lambda request, _: {})
