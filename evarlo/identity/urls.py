from django.urls import path

from evarlo.identity import views

app_name = "identity"
urlpatterns = [
    path("plot/<int:pk>/identity/", views.identity_page, name="identity"),
    path("plot/<int:pk>/doubt/", views.doubt_act, name="doubt"),
    path("plot/<int:pk>/boundary/", views.boundary_act, name="boundary"),
    path("plot/<int:pk>/settle/", views.settle_identity, name="settle"),
]
