from django.urls import path

from evarlo.pests import views

app_name = "pests"
urlpatterns = [
    path("walk/pests/", views.pests_page, name="pests"),
    path("walk/pests/new/", views.new_watch, name="new-watch"),
    path("walk/pests/own/", views.new_problem, name="new-problem"),
    path("walk/pests/<int:pk>/", views.watch_page, name="watch"),
    path("walk/pests/<int:pk>/confirm/", views.confirm_act, name="confirm"),
    path("walk/pests/<int:pk>/threshold/", views.threshold_act, name="threshold"),
    path("walk/pests/<int:pk>/end/", views.end_act, name="end-watch"),
]
