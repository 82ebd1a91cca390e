from django.urls import path

from evarlo.compare import downloads, pair_views, question_views, views

app_name = "compare"
urlpatterns = [
    path("compare/flow/", views.flow, name="flow"),
    path("compare/years/", views.years, name="years"),
    path("compare/", views.compare_page, name="compare"),
    path("compare/pairs/", pair_views.pairs, name="pairs"),
    path("compare/heads/", pair_views.heads, name="heads"),
    path("compare/claims/", pair_views.claims, name="claims"),
    path("compare/checks/", question_views.checks, name="checks"),
    path("compare/together/", question_views.all_together, name="together"),
    path("compare/places/", question_views.places, name="places"),
    path("compare/ground/", question_views.ground, name="ground"),
    path("compare/kinds/", question_views.kinds, name="kinds"),
    path("compare/early/", question_views.early, name="early"),
    path("compare/alike/", question_views.if_alike, name="alike"),
    path("compare/fit/", pair_views.fit, name="fit"),
    path("compare/working/", views.working, name="working"),
    path("compare/figures.json", downloads.figures, name="figures"),
    path("compare/plots.csv", downloads.plots_csv, name="plots"),
    path("compare/entries.csv", downloads.entries, {"form": "csv"}, name="entries_csv"),
    path("compare/entries.xlsx", downloads.entries, {"form": "xlsx"}, name="entries_xlsx"),
    path("compare/drawing.svg", downloads.drawing, name="drawing"),
]
