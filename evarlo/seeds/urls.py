from django.urls import path

from evarlo.seeds import germination_views, views

app_name = "seeds"
urlpatterns = [
    path("", views.lots, name="list"),
    path("<int:pk>/", views.lot_page, name="lot"),
    path("<int:pk>/move/", views.move, name="move"),
    path("<int:pk>/move/<int:line>/undo/", views.undo, name="undo-move"),
    path("<int:pk>/test/", germination_views.begin, name="begin-test"),
    path("tests/<int:pk>/", germination_views.test_page, name="test"),
    path("tests/<int:pk>/count/", germination_views.count, name="count"),
    path("tests/<int:pk>/end/", germination_views.end, name="end-test"),
    path("tests/<int:pk>/undo/", germination_views.undo, name="undo-test"),
]
