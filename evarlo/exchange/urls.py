from django.urls import path

from evarlo.exchange import backup_views, health_views, history_views, package_views, views

app_name = "exchange"
urlpatterns = [
    path("", views.bring_in, name="bring-in"),
    path("back-ups/", backup_views.backups_page, name="backups"),
    path("back-ups/<str:name>/", backup_views.backup_page, name="backup"),
    path("back-ups/<str:name>/restore/", backup_views.restore_act, name="restore"),
    path("back-ups/<str:name>/file/", backup_views.take_away, name="take-away"),
    path("history/", history_views.history, name="history"),
    path("history/take-back/", history_views.take_back_acts, name="take-back-acts"),
    path("running/", health_views.running, name="running"),
    path("running/lost/", health_views.lost, name="lost"),
    path("running/let-be/", health_views.let_be, name="let-be"),
    path("packages/", package_views.packages_page, name="packages"),
    path("packages/take-out/", package_views.take_out, name="take-out"),
    path("packages/piece/", package_views.piece, name="piece"),
    path("packages/<str:name>/", package_views.package_page, name="package"),
    path("packages/<str:name>/bring-in/", package_views.package_act, name="package-act"),
    path("<int:pk>/", views.dry_run, name="dry-run"),
    path("<int:pk>/shape/", views.shape, name="shape"),
    path("<int:pk>/arriving/", views.arriving, name="arriving"),
    path("<int:pk>/go-on/", views.go_on, name="go-on"),
    path("<int:pk>/take-back/", views.take_back, name="take-back"),
]
