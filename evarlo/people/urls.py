from django.contrib.auth import views as auth
from django.urls import path

from evarlo.people import views

app_name = "people"
urlpatterns = [
    path("log-in/", views.LogIn.as_view(), name="log-in"),
    path("me/", views.me, name="me"),
    path("here/", views.here, name="here"),
    path("log-out/", auth.LogoutView.as_view(), name="log-out"),
]
