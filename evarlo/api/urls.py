from django.urls import path

from evarlo.api import views

app_name = "api"
urlpatterns = [
    path("", views.tokens_page, name="tokens"),
    path("<int:pk>/end/", views.end, name="end"),
]
