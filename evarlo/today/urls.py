from django.urls import path

from evarlo.today import views

app_name = "today"
urlpatterns = [
    path("", views.home, name="home"),
    path("jump/", views.jump, name="jump"),
    path("help/", views.help_page, name="help"),
]
