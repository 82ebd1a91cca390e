from django.urls import path

from evarlo.rehearsal import views

app_name = "rehearsal"
urlpatterns = [
    path("practice/season/", views.seasons, name="seasons"),
    path("practice/season/<int:pk>/", views.season, name="season"),
    path("practice/season/<int:pk>/on/", views.go_on, name="on"),
    path("practice/season/<int:pk>/truth/", views.truth, name="truth"),
    path("practice/season/<int:pk>/away/", views.away, name="away"),
]
