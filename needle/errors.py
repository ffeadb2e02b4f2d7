"""The one error the core raises for bad input: its text is a sentence an engineer can act on."""


class NeedleError(ValueError):
    """Input that breaks a rule of the job. ``str(error)`` says what is wrong and what to do."""
