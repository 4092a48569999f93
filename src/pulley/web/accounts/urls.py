"""Signing in and out."""

from django.contrib.auth import views
from django.urls import path

from pulley.web.accounts import preferences
from pulley.web.accounts.views import SignIn

urlpatterns = [
    path("sign-in/", SignIn.as_view(), name="login"),
    path("preferences/", preferences.change, name="preferences"),
    path("sign-out/", views.LogoutView.as_view(), name="logout"),
]
