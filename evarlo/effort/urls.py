from django.urls import path

from evarlo.effort import views

app_name = "effort"
urlpatterns = [
    path("pick/work/", views.effort, name="effort"),
    path("pick/work/keep/", views.keep, name="keep"),
    path("pick/work/<uuid:key>/undo/", views.undo, name="undo"),
]
