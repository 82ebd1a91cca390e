from django.urls import path

from evarlo.exchange import views

app_name = "exchange"
urlpatterns = [
    path("", views.bring_in, name="bring-in"),
    path("<int:pk>/", views.dry_run, name="dry-run"),
    path("<int:pk>/shape/", views.shape, name="shape"),
    path("<int:pk>/arriving/", views.arriving, name="arriving"),
    path("<int:pk>/go-on/", views.go_on, name="go-on"),
    path("<int:pk>/take-back/", views.take_back, name="take-back"),
]
