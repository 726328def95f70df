from django.urls import path

from . import views

urlpatterns = [
    path("stock/", views.index, name="stock"),
    path("stock/new/", views.edit, name="material-new"),
    path("stock/<int:pk>/", views.show, name="material"),
    path("stock/<int:pk>/edit/", views.edit, name="material-edit"),
    path("stock/<int:pk>/weigh/", views.weigh, name="material-weigh"),
    path("stock/<int:pk>/move/", views.move, name="material-move"),
    path("stock/<int:pk>/archive/", views.archive, name="material-archive"),
    path("stock/weighings/<int:pk>/delete/", views.drop, name="weighing-drop"),
]
