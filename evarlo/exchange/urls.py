from django.urls import path

from evarlo.exchange import views

app_name = "exchange"
urlpatterns = [
    path("", views.bring_in, name="bring-in"),
    path("<int:pk>/", views.dry_run, name="dry-run"),
]
