"""Signing in and out."""

from django.contrib.auth import views
from django.urls import path

from pulley.web.accounts import preferences

urlpatterns = [
    path("sign-in/", views.LoginView.as_view(template_name="accounts/sign_in.html"), name="login"),
    path("preferences/", preferences.change, name="preferences"),
    path("sign-out/", views.LogoutView.as_view(), name="logout"),
]
