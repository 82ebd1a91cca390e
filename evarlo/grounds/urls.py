from django.urls import path

from evarlo.grounds import views, weather_views

app_name = "grounds"
urlpatterns = [
    path("", views.ground, name="list"),
    path("<int:pk>/weather/", weather_views.weather, name="weather"),
    path("<int:pk>/weather/station/", weather_views.read_station_act, name="read-station"),
    path("<int:pk>/weather/sheet/", weather_views.bring_in_weather, name="bring-in-weather"),
    path("<int:pk>/weather/frost/", weather_views.take_frost_act, name="take-frost"),
]
