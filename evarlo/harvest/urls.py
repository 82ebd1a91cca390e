from django.urls import path

from evarlo.harvest import views

app_name = "harvest"
urlpatterns = [
    path("pick/", views.pick, name="pick"),
    path("pick/<uuid:key>/correct/", views.correct, name="correct"),
    path("pick/<uuid:key>/undo/", views.undo, name="undo"),
]
