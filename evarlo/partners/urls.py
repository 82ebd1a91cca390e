from django.urls import path

from evarlo.partners import views

app_name = "partners"
urlpatterns = [
    path("partners/", views.partners_page, name="list"),
    path("partners/<int:pk>/", views.partner_page, name="partner"),
    path("partners/<int:pk>/paper/", views.paper, name="paper"),
    path("partners/<int:pk>/end/", views.end, name="end"),
]
