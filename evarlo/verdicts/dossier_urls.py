from django.urls import path

from evarlo.verdicts import after_views

app_name = "dossiers"
urlpatterns = [path("<int:pk>/dossier/", after_views.dossier, name="dossier")]
