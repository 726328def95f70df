from django.urls import path

from . import films, films_live, instruments, readings, views

urlpatterns = [
    path("frames/<int:pk>/measure/", views.measure, name="measure"),
    path("frames/<int:pk>/measure/preview/", views.preview, name="measure-preview"),
    path("frames/<int:pk>/measure/recording/", views.recording, name="measure-recording"),
    path("frames/<int:pk>/film/", films.film, name="film"),
    path("frames/<int:pk>/film/answer/", films.answer, name="film-answer"),
    path("frames/<int:pk>/film/stop/", films.stop, name="film-stop"),
    path("frames/<int:pk>/film/take/", films.take, name="film-take"),
    path("frames/<int:pk>/film/part/", films_live.part, name="film-part"),
    path("films/<int:pk>/file/", films.file, name="film-file"),
    path("films/<int:pk>/strip.jpg", films.strip, name="film-strip"),
    path("readings/<int:pk>/", readings.reading, name="reading"),
    path("readings/<int:pk>/correct/", readings.correct, name="reading-correct"),
    path("readings/<int:pk>/again/", readings.again, name="reading-again"),
    path("instruments/", instruments.index, name="instruments"),
    path("instruments/new/", instruments.edit, name="instrument-new"),
    path("instruments/<int:pk>/", instruments.show, name="instrument"),
    path("instruments/<int:pk>/edit/", instruments.edit, name="instrument-edit"),
    path("instruments/<int:pk>/archive/", instruments.archive, name="instrument-archive"),
]
