from django.urls import path

from . import instruments, readings, views

urlpatterns = [
    path("frames/<int:pk>/measure/", views.measure, name="measure"),
    path("frames/<int:pk>/measure/preview/", views.preview, name="measure-preview"),
    path("frames/<int:pk>/measure/recording/", views.recording, name="measure-recording"),
    path("readings/<int:pk>/", readings.reading, name="reading"),
    path("readings/<int:pk>/correct/", readings.correct, name="reading-correct"),
    path("readings/<int:pk>/again/", readings.again, name="reading-again"),
    path("instruments/", instruments.index, name="instruments"),
    path("instruments/new/", instruments.edit, name="instrument-new"),
    path("instruments/<int:pk>/", instruments.show, name="instrument"),
    path("instruments/<int:pk>/edit/", instruments.edit, name="instrument-edit"),
    path("instruments/<int:pk>/archive/", instruments.archive, name="instrument-archive"),
]
