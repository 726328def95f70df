from django.contrib.auth import views as auth
from django.urls import path

from . import shell, views

urlpatterns = [
    path("units/", views.units, name="units"),
    path("understood/", views.understood, name="understood"),
    path("sign-out/", auth.LogoutView.as_view(), name="sign-out"),
    path("manifest.webmanifest", shell.manifest, name="manifest"),
    path("worker.js", shell.worker, name="worker"),
    path("offline/", shell.offline, name="offline"),
    path("removed/", views.removed, name="removed"),
    path("removed/<str:label>/<int:pk>/restore/", views.restore, name="restore"),
]
