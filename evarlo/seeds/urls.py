from django.urls import path

from evarlo.seeds import views

app_name = "seeds"
urlpatterns = [
    path("", views.lots, name="list"),
    path("<int:pk>/", views.lot_page, name="lot"),
    path("<int:pk>/move/", views.move, name="move"),
]
