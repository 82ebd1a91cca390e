from django.urls import path

from evarlo.tasting import views

app_name = "tasting"
urlpatterns = [
    path("pick/tasting/", views.panels, name="panels"),
    path("pick/tasting/new/", views.new, name="new"),
    path("pick/tasting/<int:pk>/", views.panel, name="panel"),
    path("pick/tasting/<int:pk>/ballot/<int:judge>/", views.ballot, name="ballot"),
    path("pick/tasting/<int:pk>/undo/", views.undo, name="undo"),
]
