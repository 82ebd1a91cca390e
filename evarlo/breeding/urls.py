from django.urls import path

from evarlo.breeding import line_views, views

app_name = "breeding"
urlpatterns = [
    path("", views.crosses, name="list"),
    path("numbers/", views.numbers, name="numbers"),
    path("<int:pk>/", views.cross_page, name="cross"),
    path("<int:pk>/drop/", views.drop, name="drop-cross"),
    path("<int:pk>/grow/", views.grow_page, name="grow"),
    path("plants/<slug:slug>/", views.generation_page, name="generation"),
    path("plants/<slug:slug>/save/", views.save, name="save"),
    path("lines/<int:pk>/", line_views.line_page, name="line"),
    path("lines/<int:pk>/name/", line_views.name_act, name="name"),
    path("lines/<int:pk>/unname/", line_views.unname, name="unname"),
    path("lines/<int:pk>/drop/", line_views.drop, name="drop-saved"),
    path("lines/<int:pk>/gate/", line_views.gate_act, name="gate"),
    path("kin/<slug:slug>/", line_views.kin_page, name="kin"),
]
