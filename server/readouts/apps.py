from django.apps import AppConfig


class ReadoutsConfig(AppConfig):
    name = "server.readouts"
    label = "readouts"
