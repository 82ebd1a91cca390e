from django.urls import path

from evarlo.grounds import bed_views, views, weather_views

app_name = "grounds"
urlpatterns = [
    path("", views.ground, name="list"),
    path("beds/<int:pk>/", bed_views.bed_page, name="bed"),
    path("beds/<int:pk>/place/", bed_views.place, name="place-bed"),
    path("beds/<int:pk>/keep/", bed_views.keep_traits, name="keep-bed"),
    path("beds/<int:pk>/correct/", bed_views.correct, name="correct-bed"),
    path("beds/<int:pk>/use/", bed_views.add_use, name="add-use"),
    path("beds/<int:pk>/use/<int:use>/drop/", bed_views.drop_use, name="drop-use"),
    path("beds/<int:pk>/soil/", bed_views.add_soil, name="add-soil"),
    path("beds/<int:pk>/obstacle/", bed_views.add_obstacle, name="add-obstacle"),
    path("beds/<int:pk>/obstacle/<int:obstacle>/drop/", bed_views.drop_obstacle, name="drop-obstacle"),
    path("<int:pk>/site/", views.site_page, name="site"),
    path("<int:pk>/weather/", weather_views.weather, name="weather"),
    path("<int:pk>/weather/station/", weather_views.read_station_act, name="read-station"),
    path("<int:pk>/weather/sheet/", weather_views.bring_in_weather, name="bring-in-weather"),
    path("<int:pk>/weather/frost/", weather_views.take_frost_act, name="take-frost"),
]
