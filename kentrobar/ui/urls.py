from django.contrib.auth import views as auth
from django.urls import path

from . import views

urlpatterns = [
    path("units/", views.units, name="units"),
    path("understood/", views.understood, name="understood"),
    path("sign-out/", auth.LogoutView.as_view(), name="sign-out"),
    path("removed/", views.removed, name="removed"),
    path("removed/<str:label>/<int:pk>/restore/", views.restore, name="restore"),
]
