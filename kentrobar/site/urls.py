"""Every address of the application."""

from django.urls import URLPattern, URLResolver, include, path

from . import bodies, health

urlpatterns: list[URLPattern | URLResolver] = [
    path("", include("kentrobar.ui.urls")),
    path("", include("kentrobar.shop.urls")),
    path("", include("kentrobar.frames.urls")),
    path("", include("kentrobar.measuring.urls")),
    path("", include("kentrobar.stock.urls")),
    path("", include("kentrobar.plans.urls")),
    path("", include("kentrobar.recipes.urls")),
    path("", include("kentrobar.workshop.urls")),
    path("", include("kentrobar.devices.urls")),
    path("", include("kentrobar.accounts.urls")),
    path("", include("kentrobar.backups.urls")),
    path("", include("kentrobar.api.urls")),
    path("", include("kentrobar.demo.urls")),
]
urlpatterns += [
    path("health/", health.health, name="health"),
    path("may-send/", bodies.may_send, name="may-send"),
    path("metrics/", health.metrics, name="metrics"),
]
handler500 = "kentrobar.site.trace.broken"
handler404 = "kentrobar.ui.views.not_found"
