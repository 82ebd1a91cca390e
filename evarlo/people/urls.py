from django.contrib.auth import views as auth
from django.urls import path

from evarlo.people import joining_views, second_views, views

app_name = "people"
urlpatterns = [
    path("", views.people, name="list"),
    path("log-in/", views.LogIn.as_view(), name="log-in"),
    path("log-in/code/", second_views.code, name="code"),
    path("me/second/", second_views.own, name="second"),
    path("first/", joining_views.first, name="first"),
    path("join/<str:secret>/", joining_views.come_in, name="join"),
    path("invite/", views.invite_one, name="invite"),
    path("invitations/<int:pk>/", views.link, name="link"),
    path("invitations/<int:pk>/withdraw/", views.withdraw_link, name="withdraw"),
    path("me/", views.me, name="me"),
    path("me/password/", views.change_password, name="password"),
    path("head.css", views.running_head, name="running-head"),
    path("audit/", views.audit_page, name="audit"),
    path("here/", views.here, name="here"),
    path("log-out/", auth.LogoutView.as_view(), name="log-out"),
    path("visits/<int:pk>/end/", views.end_one, name="end-visit"),
    path("<int:pk>/", views.person, name="person"),
    path("<int:pk>/role/", views.change_role, name="role"),
    path("<int:pk>/reset/", views.reset_link, name="reset"),
    path("<int:pk>/leave/", views.let_leave, name="leave"),
    path("<int:pk>/return/", views.let_return, name="return"),
]
