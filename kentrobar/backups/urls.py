from django.urls import path

from . import views

urlpatterns = [path("backups/now/", views.now, name="backup-now")]
