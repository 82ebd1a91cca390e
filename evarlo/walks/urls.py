from django.urls import path

from evarlo.walks import event_views, field_views, stage_views, treat_views, views, watch_views

app_name = "walks"
urlpatterns = [
    path("walk/", views.walk, name="walk"),
    path("walk/open/", views.open_act, name="open"),
    path("walk/<int:pk>/", views.round_page, name="round"),
    path("walk/agreement/", field_views.agreement_page, name="agreement"),
    path("walk/settle/", field_views.settle_page, name="settle"),
    path("walk/settle/<uuid:key>/", field_views.settle_act, name="settle-act"),
    path("walk/earlier/", views.earlier, name="earlier"),
    path("walk/<int:pk>/field.json", field_views.field_data, name="field-data"),
    path("walk/<int:pk>/bring-in/", field_views.field_batch, name="bring-in"),
    path("walk/stages/", stage_views.stages_page, name="stages"),
    path("walk/stages/expect/", stage_views.expect, name="expect"),
    path("walk/events/", event_views.events_page, name="events"),
    path("walk/events/new/", event_views.new_event, name="new-event"),
    path("walk/events/none/", event_views.no_event, name="no-event"),
    path("walk/events/<int:pk>/rule/", event_views.rule_act, name="rule"),
    path("walk/events/<int:pk>/call/", event_views.call_act, name="call"),
    path("walk/events/<int:pk>/undo/", event_views.undo_event, name="undo-event"),
    path("walk/care/", treat_views.treating_page, name="treating"),
    path("walk/care/new/", treat_views.new_treatment, name="new-treatment"),
    path("walk/care/organic/", treat_views.organic, name="organic"),
    path("walk/care/<int:pk>/undo/", treat_views.undo_treatment, name="undo-treatment"),
    path("walk/pests/", watch_views.watching_page, name="watching"),
    path("walk/pests/new/", watch_views.new_watch, name="new-watch"),
    path("walk/pests/own/", watch_views.new_problem, name="new-problem"),
    path("walk/pests/<int:pk>/", watch_views.watch_page, name="watch"),
    path("walk/pests/<int:pk>/confirm/", watch_views.confirm_act, name="confirm"),
    path("walk/pests/<int:pk>/threshold/", watch_views.threshold_act, name="threshold"),
    path("walk/pests/<int:pk>/end/", watch_views.end_act, name="end-watch"),
    path("walk/<int:pk>/close/", views.close, name="close"),
]
