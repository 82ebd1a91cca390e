from django.urls import path

from evarlo.nursery import room_views

app_name = "raising"
urlpatterns = [
    path("", room_views.room_page, name="room"),
    path("place/", room_views.add_place, name="add-place"),
    path("move/", room_views.move, name="move"),
    path("<int:pk>/read/", room_views.read, name="read"),
]
