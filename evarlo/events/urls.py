from django.urls import path

from evarlo.events import care_views, event_views, photo_views

app_name = "events"
urlpatterns = [
    path("walk/events/", event_views.events_page, name="events"),
    path("walk/events/new/", event_views.new_event, name="new-event"),
    path("walk/events/none/", event_views.no_event, name="no-event"),
    path("walk/events/<int:pk>/rule/", event_views.rule_act, name="rule"),
    path("walk/events/<int:pk>/follow/", event_views.follow_act, name="follow"),
    path("walk/events/<int:pk>/looked/", event_views.looked_act, name="looked"),
    path("walk/events/<int:pk>/call/", event_views.judge_act, name="judge"),
    path("walk/events/<int:pk>/undo/", event_views.undo_event, name="undo-event"),
    path("walk/care/", care_views.care_page, name="care"),
    path("walk/care/new/", care_views.new_care, name="new-care"),
    path("walk/care/organic/", care_views.organic, name="organic"),
    path("walk/care/<int:pk>/undo/", care_views.undo_care, name="undo-care"),
    path("plot/<int:pk>/pictures/", photo_views.photos_page, name="photos"),
    path("plot/<int:pk>/pictures/new/", photo_views.new_photo, name="new-photo"),
    path("picture/<uuid:key>/", photo_views.photo, name="photo"),
    path("picture/<uuid:key>/undo/", photo_views.undo_photo, name="undo-photo"),
]
