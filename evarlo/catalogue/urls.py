from django.urls import path

from evarlo.catalogue import views

app_name = "catalogue"
urlpatterns = [
    path("", views.cultivars, name="list"),
    path("crops/", views.crops, name="crops"),
    path("crops/new/", views.crop_page, name="new-crop"),
    path("crops/<int:pk>/", views.crop_page, name="crop"),
]
