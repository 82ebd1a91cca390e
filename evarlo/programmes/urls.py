from django.urls import path

from evarlo.programmes import views

app_name = "programmes"
urlpatterns = [
    path("", views.programmes, name="list"),
    path("new/", views.new, name="new"),
    path("<slug:slug>/", views.page, name="page"),
    path("<slug:slug>/reckoned/", views.reckoned, name="reckoned"),
    path("<slug:slug>/working/", views.working, name="working"),
    path("<slug:slug>/settings/", views.settings, name="settings"),
    path("<slug:slug>/settings/frontier/", views.frontier, name="frontier"),
    path("<slug:slug>/join/", views.join, name="join"),
    path("<slug:slug>/trials/<int:pk>/", views.member, name="member"),
]
