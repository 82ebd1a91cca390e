from django.urls import path

from evarlo.harvest import class_views, views

app_name = "harvest"
urlpatterns = [
    path("pick/", views.pick, name="pick"),
    path("pick/classes/", class_views.classes, name="classes"),
    path("pick/crate/", class_views.crate, name="crate"),
    path("pick/scale/", views.on_scale, name="scale"),
    path("pick/anyway/", views.anyway, name="anyway"),
    path("pick/<uuid:key>/correct/", views.correct, name="correct"),
    path("pick/<uuid:key>/undo/", views.undo, name="undo"),
]
