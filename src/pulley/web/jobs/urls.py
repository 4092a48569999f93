"""Addresses of jobs."""

from django.urls import path

from pulley.web.jobs import views

urlpatterns = [
    path("<uuid:job_id>/", views.show, name="job"),
    path("<uuid:job_id>/stop", views.stop, name="stop-job"),
    path("<uuid:job_id>/dismiss", views.dismiss, name="dismiss-job"),
]
