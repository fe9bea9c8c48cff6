from django.apps import AppConfig


class ProjectsConfig(AppConfig):
    name = "server.projects"
    label = "projects"
