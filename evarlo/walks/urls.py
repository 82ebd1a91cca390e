from django.urls import path

from evarlo.walks import views

app_name = "walks"
urlpatterns = [
    path("walk/", views.walk, name="walk"),
    path("walk/open/", views.open_act, name="open"),
    path("walk/<int:pk>/", views.round_page, name="round"),
    path("walk/<int:pk>/ground/", views.round_ground, name="ground"),
    path("walk/<int:pk>/keep/", views.keep, name="keep"),
    path("walk/<int:pk>/undo/<uuid:key>/", views.undo, name="undo"),
    path("walk/<int:pk>/close/", views.close, name="close"),
]
