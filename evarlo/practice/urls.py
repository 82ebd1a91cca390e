from django.urls import path

from evarlo.practice import views

app_name = "practice"
urlpatterns = [
    path("practice/", views.practice_page, name="home"),
    path("practice/begin/", views.begin_act, name="begin"),
    path("practice/<int:pk>/", views.run_page, name="run"),
    path("practice/<int:pk>/answer/", views.answer_act, name="answer"),
    path("trials/<slug:slug>/walk/agreement/", views.agreement_page, name="agreement"),
]
