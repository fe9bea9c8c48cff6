"""Answers with a status of their own."""

from typing import Any

from ninja import Status

Answer = Status[Any]
