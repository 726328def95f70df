from django.urls import path

from . import views

urlpatterns = [path("simulators/", views.panel, name="simulators")]
