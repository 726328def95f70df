from django.urls import path

from . import parts, views

urlpatterns = [
    path("", views.index, name="frames"),
    path("frames/new/", views.edit, name="frame-new"),
    path("frames/outline/", views.outline, name="frame-outline"),
    path("frames/<int:pk>/", views.show, name="frame"),
    path("frames/<int:pk>/edit/", views.edit, name="frame-edit"),
    path("frames/<int:pk>/delete/", views.delete, name="frame-delete"),
    path("frames/<int:pk>/restore/", views.restore, name="frame-restore"),
    path("readings/<int:pk>/withdraw/", views.withdraw, name="reading-withdraw"),
    path("readings/<int:pk>/reinstate/", views.reinstate, name="reading-reinstate"),
    path("frames/<int:pk>/parts/", parts.index, name="frame-parts"),
    path("parts/<int:pk>/off/", parts.take_off, name="part-off"),
    path("parts/<int:pk>/undo/", parts.undo, name="part-undo"),
]
