from django.urls import path

from evarlo.verdicts import views

app_name = "verdicts"
urlpatterns = [
    path("decide/", views.decide, name="decide"),
    path("decide/<int:pk>/", views.give, name="give"),
    path("decide/sign/", views.sign, name="sign"),
    path("decide/guard/", views.guard_act, name="guard"),
    path("decide/guard/", views.guard_act, name="guard"),
    path("decide/reopen/", views.reopen_act, name="reopen"),
    path("report/", views.report, name="report"),
]
