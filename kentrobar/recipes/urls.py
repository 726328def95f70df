from django.urls import path

from . import advising, faces, places, quick, views

urlpatterns = [
    path("frames/<int:pk>/recipes/", views.show, name="recipes"),
    path("frames/<int:pk>/recipes/wish/", views.wish, name="recipes-wish"),
    path("frames/<int:pk>/recipes/answer/", views.answer, name="recipes-answer"),
    path("frames/<int:pk>/recipes/stop/", views.stop, name="recipes-stop"),
    path("frames/<int:pk>/recipes/pull/", views.pull, name="recipes-pull"),
    path("frames/<int:pk>/recipes/open/", views.open_up, name="recipes-open"),
    path("frames/<int:pk>/recipes/say/", views.say, name="recipes-say"),
    path("frames/<int:pk>/recipes/like/", views.like, name="recipes-like"),
    path("frames/<int:pk>/recipes/plan/", views.plan, name="recipes-plan"),
    path("plans/<int:pk>/recipes/", views.from_plan, name="plan-recipes"),
    path("frames/<int:pk>/advice/", advising.advice, name="advice"),
    path("frames/<int:pk>/advice/wish/", advising.wish, name="advice-wish"),
    path("frames/<int:pk>/advice/plan/", advising.plan, name="advice-plan"),
    path("frames/<int:pk>/one-gram/", advising.one_gram, name="one-gram"),
    path("frames/<int:pk>/feel/", faces.feel, name="feel"),
    path("frames/<int:pk>/feel/marks/", faces.mark, name="feel-mark"),
    path("places/", places.places, name="places"),
    path("places/<int:pk>/delete/", places.drop, name="place-drop"),
    path("quick/", quick.show, name="quick"),
    path("quick/plan/", quick.plan, name="quick-plan"),
]
