from django.urls import path

from . import parts, views

urlpatterns = [
    path("", views.index, name="frames"),
    path("frames/new/", views.edit, name="frame-new"),
    path("frames/outline/", views.outline, name="frame-outline"),
    path("frames/<int:pk>/", views.show, name="frame"),
    path("frames/<int:pk>/edit/", views.edit, name="frame-edit"),
    path("frames/<int:pk>/delete/", views.delete, name="frame-delete"),
    path("readings/<int:pk>/withdraw/", views.withdraw, name="reading-withdraw"),
    path("frames/<int:pk>/parts/", parts.index, name="frame-parts"),
    path("parts/<int:pk>/off/", parts.take_off, name="part-off"),
    path("parts/<int:pk>/forget/", parts.forget, name="part-forget"),
    path("parts/<int:pk>/back-on/", parts.back_on, name="part-back-on"),
]
