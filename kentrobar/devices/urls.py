from django.urls import path

from . import views

urlpatterns = [
    path("live/<int:pk>/", views.live, name="live"),
    path("live/<int:pk>/take/", views.take, name="live-take"),
    path("live/<int:pk>/tare/", views.tare, name="live-tare"),
]
