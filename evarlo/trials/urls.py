from django.urls import path

from evarlo.trials import agenda_views, needs_views, paper, views

app_name = "trials"
urlpatterns = [
    path("", views.trial_list_page, name="list"),
    path("new/", views.new, name="new"),
    path("new/forecast/", views.new_forecast, name="forecast"),
    path("feed/<str:key>.ics", agenda_views.feed, name="feed"),
    path("<slug:slug>/", views.plan, name="plan"),
    path("<slug:slug>/calendar/", agenda_views.calendar_page, name="calendar-page"),
    path("<slug:slug>/calendar/add/", agenda_views.add, name="add-task"),
    path("<slug:slug>/calendar/feed/", agenda_views.new_feed, name="new-feed"),
    path("<slug:slug>/calendar/<slug:key>/move/", agenda_views.move, name="move-task"),
    path("<slug:slug>/calendar/<slug:key>/done/", agenda_views.finish, name="finish-task"),
    path("<slug:slug>/calendar/<slug:key>/drop/", agenda_views.drop, name="drop-task"),
    path("<slug:slug>/shuffle/", views.shuffle_layout, name="shuffle"),
    path("<slug:slug>/change/", views.change, name="change"),
    path("<slug:slug>/accept/", views.accept_breach, name="accept"),
    path("<slug:slug>/move/", views.move, name="move"),
    path("<slug:slug>/fix/", views.fix, name="fix"),
    path("<slug:slug>/open-names/", views.open_names_act, name="open-names"),
    path("<slug:slug>/calendar.ics", paper.calendar_file, name="calendar"),
    path("<slug:slug>/print/", paper.paper, name="paper"),
    path("<slug:slug>/print/plan/", paper.plan_sheet, name="plan-sheet"),
    path("<slug:slug>/print/scoring/", paper.scoring_sheet, name="scoring-sheet"),
    path("<slug:slug>/print/kit/", needs_views.kit, name="kit"),
    path("<slug:slug>/needs/", needs_views.needs_page, name="needs"),
    path("<slug:slug>/needs/keep/", needs_views.keep_needs, name="keep-needs"),
    path("<slug:slug>/needs/orders.csv", needs_views.orders, name="orders"),
    path("<slug:slug>/needs/material/", needs_views.new_material, name="new-material"),
    path("<slug:slug>/needs/material/<int:pk>/drop/", needs_views.drop_material, name="drop-material"),
    path("<slug:slug>/ground/", views.ground, name="ground"),
    path("<slug:slug>/plot/<int:pk>/", views.plot, name="plot"),
    path("<slug:slug>/plot/<int:pk>/leave-out/", views.leave_out, name="leave-out"),
    path("<slug:slug>/plot/<int:pk>/swap/", views.swap, name="swap"),
    path("<slug:slug>/plot/<int:pk>/take-back/", views.take_back, name="take-back"),
]
