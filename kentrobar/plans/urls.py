from django.urls import path

from . import views

urlpatterns = [
    path("plans/", views.index, name="plans"),
    path("plans/compare/", views.compare, name="plan-compare"),
    path("plans/upload/", views.upload, name="plan-upload"),
    path("plans/<int:pk>/", views.show, name="plan"),
    path("plans/<int:pk>/board/", views.board, name="plan-board"),
    path("plans/<int:pk>/undo/", views.undo, name="plan-undo"),
    path("plans/<int:pk>/redo/", views.redo, name="plan-redo"),
    path("plans/<int:pk>/piece/", views.piece, name="plan-piece"),
    path("plans/<int:pk>/target/<str:name>/", views.target, name="plan-target"),
    path("plans/<int:pk>/rebase/", views.rebase, name="plan-rebase"),
    path("plans/<int:pk>/edit/<str:name>/", views.edit, name="plan-edit"),
    path("plans/<int:pk>/rename/", views.rename, name="plan-rename"),
    path("plans/<int:pk>/copy/", views.copy, name="plan-copy"),
    path("plans/<int:pk>/delete/", views.delete, name="plan-delete"),
    path("plans/<int:pk>/download/", views.download, name="plan-download"),
    path("frames/<int:frame_pk>/plans/new/", views.create, name="plan-new"),
    path("frames/<int:frame_pk>/plans/upload/", views.upload, name="frame-plan-upload"),
]
