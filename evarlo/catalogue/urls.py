from django.urls import path

from evarlo.catalogue import cultivar_views, trait_views, views

app_name = "catalogue"
urlpatterns = [
    path("", views.cultivars, name="list"),
    path("<int:pk>/", cultivar_views.cultivar_page, name="cultivar"),
    path("<int:pk>/keep/", cultivar_views.keep, name="keep-cultivar"),
    path("<int:pk>/synonym/", cultivar_views.new_synonym, name="new-synonym"),
    path("<int:pk>/synonym/<int:synonym>/drop/", cultivar_views.drop_synonym, name="drop-synonym"),
    path("<int:pk>/claim/", cultivar_views.new_claim, name="new-claim"),
    path("<int:pk>/claim/<int:claim>/drop/", cultivar_views.drop_claim, name="drop-claim"),
    path("<int:pk>/apart/<int:other>/", cultivar_views.apart, name="apart"),
    path("traits/", trait_views.traits_page, name="traits"),
    path("traits/new/", trait_views.new_trait, name="new-trait"),
    path("traits/<int:pk>/", trait_views.trait_page, name="trait"),
    path("traits/<int:pk>/guide/", trait_views.new_guide, name="new-guide"),
    path("crops/", views.crops, name="crops"),
    path("crops/new/", views.new_crop, name="new-crop"),
    path("crops/<int:pk>/", views.crop_page, name="crop"),
]
