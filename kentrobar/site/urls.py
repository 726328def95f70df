"""Every address of the application."""

from django.urls import include, path

urlpatterns = [
    path("", include("kentrobar.ui.urls")),
    path("", include("kentrobar.shop.urls")),
    path("", include("kentrobar.frames.urls")),
    path("", include("kentrobar.measuring.urls")),
    path("", include("kentrobar.stock.urls")),
    path("", include("kentrobar.plans.urls")),
    path("", include("kentrobar.recipes.urls")),
    path("", include("kentrobar.workshop.urls")),
    path("", include("kentrobar.devices.urls")),
    path("", include("kentrobar.demo.urls")),
]
handler404 = "kentrobar.ui.views.not_found"
