"""Every address of the application."""

from django.contrib.auth import views as auth
from django.urls import include, path

from . import views

urlpatterns = [
    path("", include("kentrobar.frames.urls")),
    path("", include("kentrobar.measuring.urls")),
    path("", include("kentrobar.stock.urls")),
    path("", include("kentrobar.planning.urls")),
    path("", include("kentrobar.recipes.urls")),
    path("", include("kentrobar.workshop.urls")),
    path("", include("kentrobar.devices.urls")),
    path("units/", views.units, name="units"),
    path("sign-in/", auth.LoginView.as_view(redirect_authenticated_user=True), name="sign-in"),
    path("sign-out/", auth.LogoutView.as_view(), name="sign-out"),
]
handler404 = "kentrobar.web.views.not_found"
