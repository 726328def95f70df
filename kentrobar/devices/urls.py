from django.urls import path

from . import bridged, stream, views

urlpatterns = [
    path("bridge/", bridged.bridge, name="bridge"),
    path("live/stream/", stream.stream, name="live-stream"),
    path("live/<int:pk>/", views.live, name="live"),
    path("live/<int:pk>/take/", views.take, name="live-take"),
    path("live/<int:pk>/tare/", views.tare, name="live-tare"),
]
