from django.urls import path

from evarlo.walks import field_views, stage_views, views

app_name = "walks"
urlpatterns = [
    path("walk/", views.walk, name="walk"),
    path("walk/open/", views.open_act, name="open"),
    path("walk/<int:pk>/", views.round_page, name="round"),
    path("walk/<int:pk>/close/", views.close, name="close"),
    path("walk/settle/", field_views.settle_page, name="settle"),
    path("walk/settle/<uuid:key>/", field_views.settle_act, name="settle-act"),
    path("walk/earlier/", views.earlier, name="earlier"),
    path("walk/<int:pk>/field.json", field_views.field_data, name="field-data"),
    path("walk/<int:pk>/bring-in/", field_views.field_batch, name="bring-in"),
    path("walk/stages/", stage_views.stages_page, name="stages"),
    path("walk/stages/expect/", stage_views.expect, name="expect"),
]
