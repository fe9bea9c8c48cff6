"""The one base error of the core: it knows where in the document the fault lies."""

from __future__ import annotations


class HeronError(ValueError):
    """Something the user can mend.

    ``path`` is a tuple of keys and indices into the project document (empty when the
    fault is not in the document); ``message`` says what is wrong and what to do.
    """

    def __init__(self, message: str, path: tuple[str | int, ...] = ()) -> None:
        super().__init__(message, path)
        self.message = message
        self.path = tuple(path)

    def __str__(self) -> str:
        where = ".".join(str(key) for key in self.path)
        return f"{where}: {self.message}" if where else self.message

    def within(self, *prefix: str | int) -> HeronError:
        """The same error, placed deeper in the document."""
        return type(self)(self.message, (*prefix, *self.path))


class QuantityError(HeronError):
    """An expression that cannot be read or evaluated."""


class ModelError(HeronError):
    """A document or geometry that does not describe a solvable structure."""


class CapacityError(HeronError):
    """The job needs more than this machine has."""


class Stopped(HeronError):
    """The user stopped a solve before there was anything to keep."""
