from django.urls import path

from . import colleagues, first, own, phones, programs, second_step

urlpatterns = [
    path("sign-in/", first.SignIn.as_view(), name="sign-in"),
    path("sign-in/code/", second_step.code, name="sign-in-code"),
    path("welcome/", first.welcome, name="welcome"),
    path("opened/", first.opened, name="opened"),
    path("join/<str:token>/", colleagues.join, name="join"),
    path("trust/", phones.trust, name="trust"),
    path("trust/kentrobar-authority.crt", phones.authority, name="authority"),
    path("phones/", phones.phones, name="phones"),
    path("phones/let/", colleagues.phones, name="phones-let"),
    path("account/", own.account, name="account"),
    path("account/name/", own.own, name="account-name"),
    path("account/password/", own.password, name="account-password"),
    path("account/code/", second_step.turn_on, name="account-code"),
    path("account/code/off/", second_step.turn_off, name="account-code-off"),
    path("account/end/", own.end, name="account-end"),
    path("programs/", programs.programs, name="programs"),
    path("programs/make/", programs.token_make, name="token-make"),
    path("programs/<int:pk>/end/", programs.token_end, name="token-end"),
    path("colleagues/", colleagues.colleagues, name="colleagues"),
    path("colleagues/invite/", colleagues.invite, name="invite"),
    path(
        "colleagues/invitations/<int:pk>/revoke/",
        colleagues.invitation_revoke,
        name="invitation-revoke",
    ),
    path("colleagues/<int:pk>/role/", colleagues.role, name="colleague-role"),
    path("colleagues/<int:pk>/let/", colleagues.let_go, name="colleague-let"),
    path("colleagues/<int:pk>/reset/", colleagues.reset, name="colleague-reset"),
]
