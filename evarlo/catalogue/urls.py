from django.urls import path

from evarlo.catalogue import views

app_name = "catalogue"
urlpatterns = [path("", views.cultivars, name="list")]
