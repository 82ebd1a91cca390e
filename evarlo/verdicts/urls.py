from django.urls import path

from evarlo.verdicts import after_views, report_views, views

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
    path("decide/next/", after_views.next_season, name="next"),
    path("decide/lessons/", after_views.lessons, name="lessons"),
    path("decide/lessons/new/", after_views.new_lesson, name="new-lesson"),
    path("decide/lessons/<int:pk>/forget/", after_views.forget_lesson, name="forget-lesson"),
    path("line-up/", after_views.line_up, name="line-up"),
    path("report/", report_views.report, name="report"),
    path("report/data.zip", report_views.package, name="report-data"),
    path("report/data.xlsx", report_views.workbook, name="report-workbook"),
]
