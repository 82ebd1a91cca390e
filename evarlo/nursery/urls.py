from django.urls import path

from evarlo.nursery import views

app_name = "nursery"
urlpatterns = [
    path("sow/", views.sow, name="sow"),
    path("plant/", views.plant, name="plant"),
]
