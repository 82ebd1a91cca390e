from django.urls import path

from evarlo.grounds import views

app_name = "grounds"
urlpatterns = [path("", views.ground, name="list")]
