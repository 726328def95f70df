from django.urls import path

from . import logo, views

urlpatterns = [
    path("settings/", views.settings, name="settings"),
    path("settings/logo/", logo.logo, name="logo"),
]
