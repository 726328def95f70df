from django.urls import path

from . import sheets, trials

urlpatterns = [
    path("plans/<int:pk>/sheet/", sheets.show, name="sheet"),
    path("plans/<int:pk>/sheet/tick/", sheets.tick, name="sheet-tick"),
    path("plans/<int:pk>/sheet/sign-off/", sheets.sign_off, name="sheet-sign-off"),
    path("plans/<int:pk>/sheet/take-off/", sheets.take_off, name="sheet-take-off"),
    path("plans/<int:pk>/sheet/grommets/", sheets.grommets, name="sheet-grommets"),
    path("plans/<int:pk>/sheet.pdf", sheets.pdf, name="sheet-pdf"),
    path("plans/<int:pk>/drawing.svg", sheets.drawing, name="plan-drawing"),
    path("plans/<int:pk>/trial/", trials.show, name="trial"),
    path("plans/<int:pk>/trial/keep/", trials.keep, name="trial-keep"),
    path("trials/<int:pk>/accept/", trials.accept, name="trial-accept"),
    path("trials/<int:pk>/correct/", trials.correct, name="trial-correct"),
]
