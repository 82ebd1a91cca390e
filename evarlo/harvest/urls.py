from django.urls import path

from evarlo.harvest import class_views, sample_views, sheet_views, store_views, views

app_name = "harvest"
urlpatterns = [
    path("pick/", views.pick, name="pick"),
    path("pick/store/", store_views.store, name="store"),
    path("pick/store/new/", store_views.new_lot, name="new-lot"),
    path("pick/store/<int:pk>/look/", store_views.look, name="look"),
    path("pick/store/<int:pk>/undo/", store_views.undo, name="undo-store"),
    path("pick/store/keep-to/", store_views.to_keep, name="keep-to"),
    path("pick/weights/", sheet_views.weights, name="weights"),
    path("pick/weights/<int:pk>/", sheet_views.weights_file, name="weights-file"),
    path("pick/weights/<int:pk>/bring-in/", sheet_views.bring, name="weights-bring"),
    path("pick/weights/<int:pk>/take-back/", sheet_views.back, name="weights-back"),
    path("pick/samples/", sample_views.samples, name="samples"),
    path("pick/samples/rule/", sample_views.rule, name="sample-rule"),
    path("pick/samples/own/", sample_views.own, name="own-test"),
    path("pick/samples/<uuid:key>/undo/", sample_views.undo, name="undo-sample"),
    path("pick/classes/", class_views.classes, name="classes"),
    path("pick/crate/", class_views.crate, name="crate"),
    path("pick/scale/", views.on_scale, name="scale"),
    path("pick/anyway/", views.anyway, name="anyway"),
    path("pick/<uuid:key>/correct/", views.correct, name="correct"),
    path("pick/<uuid:key>/undo/", views.undo, name="undo"),
]
