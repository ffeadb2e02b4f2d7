"""Errors that are meant for people."""

from typing import Any

from needle.messages import Message


class NeedleError(ValueError):
    """Input that breaks a rule of the job. ``str(error)`` says what is wrong and what to do.

    ``message`` says the same as a code with parameters.
    """

    def __init__(self, code: str | Message, /, **parameters: Any) -> None:
        self.message = code if isinstance(code, Message) else Message(code, **parameters)
        super().__init__(self.message)

    def about(self, name: str) -> "NeedleError":
        """The same about a file that its owner knows by this name."""
        return NeedleError(self.message.with_parameters(file=name))
