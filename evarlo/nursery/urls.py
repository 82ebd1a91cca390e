from django.urls import path

from evarlo.nursery import labels, plant_views, raise_views, sow_views

app_name = "nursery"
urlpatterns = [
    path("sow/", sow_views.sow, name="sow"),
    path("sow/tray/", sow_views.put_tray, name="put-tray"),
    path("sow/tray/<int:pk>/", sow_views.put_seeds, name="put-seeds"),
    path("sow/tray/<int:pk>/correct/", sow_views.put_tray_right, name="correct-tray"),
    path("sow/plots/", sow_views.put_in_plots, name="put-in-plots"),
    path("sow/<int:pk>/undo/", sow_views.undo, name="undo-sowing"),
    path("sow/labels.pdf", labels.tray_labels, name="tray-labels"),
    path("coming/", raise_views.coming_page, name="coming"),
    path("coming/<int:pk>/", raise_views.cells_page, name="cells"),
    path("coming/<int:pk>/count/", raise_views.count, name="count"),
    path("balance/", raise_views.balance_page, name="balance"),
    path("balance/act/", raise_views.act, name="act"),
    path("balance/prick/", raise_views.prick, name="prick"),
    path("balance/care/", raise_views.tend_act, name="tend"),
    path("balance/care/<int:pk>/undo/", raise_views.undo_tending_act, name="undo-tending"),
    path("balance/rule/", raise_views.rule, name="rule"),
    path("balance/harden/", raise_views.harden, name="harden"),
    path("balance/<int:pk>/undo/", raise_views.undo_act, name="undo-act"),
    path("plant/", plant_views.planting, name="plant"),
    path("plant/release/", plant_views.release, name="release"),
    path("plant/out/", plant_views.plant_out, name="plant-out"),
    path("plant/short/<str:code>/", plant_views.shortage, name="shortage"),
    path("plant/bought/<int:pk>/undo/", plant_views.undo_bought_in, name="undo-bought"),
    path("stand/", plant_views.stand_page, name="stand"),
    path("stand/thin-out/", plant_views.thin_out, name="thin-out"),
    path("stand/<int:pk>/mark/", plant_views.mark, name="mark"),
    path("stand/<int:pk>/fill/", plant_views.fill, name="fill"),
    path("fairness/", plant_views.fairness, name="fairness"),
]
