from django.urls import path

from evarlo.verdicts import report_views, views

app_name = "verdicts"
urlpatterns = [
    path("decide/", views.decide, name="decide"),
    path("decide/ahead/", views.ahead, name="ahead"),
    path("decide/<int:pk>/", views.give, name="give"),
    path("decide/<int:pk>/line/", views.line, name="line"),
    path("decide/<int:pk>/over/", views.prefer_act, name="prefer"),
    path("decide/undo/", views.undo, name="undo"),
    path("decide/sign/", views.sign, name="sign"),
    path("decide/sign/second/", views.second, name="second"),
    path("decide/guard/", views.guard_act, name="guard"),
    path("decide/reopen/", views.reopen_act, name="reopen"),
    path("report/", report_views.report, name="report"),
]
