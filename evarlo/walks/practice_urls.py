from django.urls import path

from evarlo.walks import practice_views

app_name = "practice"
urlpatterns = [
    path("", practice_views.practice_page, name="home"),
    path("begin/", practice_views.begin_act, name="begin"),
    path("<int:pk>/", practice_views.run_page, name="run"),
    path("<int:pk>/answer/", practice_views.answer_act, name="answer"),
]
